/** Settings with which editors start the language server, as docs/editors.md shows them; `init` writes them into `editor/`. */
export const editorSettings: Record<string, string> = {
  'neovim.lua': `vim.api.nvim_create_autocmd('FileType', {
  pattern = 'css',
  callback = function(event)
    local settings = vim.fn.findfile('local-needle.yaml', vim.fn.expand('<afile>:p:h') .. ';')
    if settings == '' then return end
    vim.g.local_needle = vim.g.local_needle or vim.lsp.start_client({
      name = 'local-needle',
      cmd = { 'npx', 'local-needle', 'language-server' },
      root_dir = vim.fn.fnamemodify(settings, ':p:h'),
    })
    vim.lsp.buf_attach_client(event.buf, vim.g.local_needle)
    vim.keymap.set('n', 'K', vim.lsp.buf.hover, { buffer = event.buf })
    vim.keymap.set('n', 'gf', vim.lsp.buf.code_action, { buffer = event.buf })
    vim.api.nvim_create_autocmd({ 'InsertLeave', 'TextChanged', 'CursorHold' }, { buffer = event.buf, callback = vim.lsp.codelens.refresh })
  end,
})
`,
  'emacs.el': `(require 'eglot)
(add-to-list 'eglot-server-programs
             '(css-mode . ("npx" "local-needle" "language-server")))
`,
  'kate.json': `{
  "servers": {
    "css": {
      "command": ["npx", "local-needle", "language-server"],
      "rootIndicationFileNames": ["local-needle.yaml"],
      "highlightingModeRegex": "^CSS$"
    }
  }
}
`,
};
