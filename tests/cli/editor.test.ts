import { spawnSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { smallProject } from '../helpers.js';

/** The configuration that the docs give, with the program that was built here. */
const configuration = () =>
  /```lua\n([\s\S]*?)```/
    .exec(readFileSync('docs/editors.md', 'utf8'))?.[1]
    ?.replace("'npx', 'local-needle'", `'node', '${join(process.cwd(), 'dist/program/local-needle.js')}'`) ?? '';

/** What is done in the editor: open a file, look, mend with one action, look again. */
const session = `
local function lenses()
  local all = vim.lsp.buf_request_sync(0, 'textDocument/codeLens', { textDocument = vim.lsp.util.make_text_document_params() }, 5000)
  for _, each in pairs(all) do for _, lens in ipairs(each.result) do print('lens ' .. lens.command.title) end end
end
local function is_missing()
  for _, each in ipairs(vim.diagnostic.get(0)) do if each.message:find('matches nothing') then return true end end
  return false
end
vim.cmd('filetype on')
vim.cmd('edit rules/a.css')
vim.wait(20000, is_missing, 20)
for _, each in ipairs(vim.diagnostic.get(0)) do print('found ' .. each.lnum .. ':' .. each.col .. '-' .. each.end_col .. ' ' .. each.message) end
lenses()
vim.api.nvim_win_set_cursor(0, { 2, 10 })
local params = vim.lsp.util.make_range_params()
params.context = { diagnostics = {} }
for _, each in pairs(vim.lsp.buf_request_sync(0, 'textDocument/codeAction', params, 5000)) do
  for _, action in ipairs(each.result) do
    print('action ' .. action.title)
    vim.lsp.util.apply_workspace_edit(action.edit, 'utf-16')
  end
end
vim.wait(20000, function() return not is_missing() end, 20)
vim.wait(500)
lenses()
print('text ' .. vim.api.nvim_buf_get_lines(0, 1, 2, false)[1])
vim.cmd('qa!')
`;

const isThere = spawnSync('nvim', ['--version']).status === 0;

describe('Neovim, by the configuration of the docs', () => {
  if (!isThere) console.log('Neovim is not installed (apt-get install neovim): the test that drives it is left out.');
  else
    test('underlines a misspelt class, mends it with one action, and shows what the rule does then', () => {
      const directory = smallProject(
        '@needle a { pages: path("/tickets/pay.html"), path("/");\n  @hide .masthaed;\n}\n',
      );
      writeFileSync(join(directory, 'init.lua'), configuration());
      writeFileSync(join(directory, 'session.lua'), session);
      const { stdout, stderr } = spawnSync('nvim', ['--headless', '-u', 'init.lua', '-S', 'session.lua'], {
        ...{ cwd: directory, encoding: 'utf8', timeout: 60_000 },
        env: { ...process.env, HOME: directory, XDG_STATE_HOME: directory },
      });
      const said = `${stdout}${stderr}`.split(/\r?\n/).filter((line) => /^(found|lens|action|text) /.test(line));
      expect(said).toEqual([
        expect.stringMatching(/^found 1:8-17 \.masthaed matches nothing on \/\. \.masthead matches 1 there/),
        'lens hits 0 of 2 pages, no-match on 2',
        'action Replace .masthaed by .masthead (hit)',
        'lens hits 2 of 2 pages',
        'text   @hide .masthead;',
      ]);
    });
  if (!isThere) test('is configured in the docs', () => expect(configuration()).toContain('language-server'));
});
