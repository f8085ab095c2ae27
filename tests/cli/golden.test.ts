import { pageHtml, run, smallProject } from '../helpers.js';

/** A rule of each verdict, and a finding of several kinds. */
const rules = `@keep-visible .masthead { note: "Ways home stay."; }
@needle calm-payment { note: "Nobody should be led away while paying."; pages: path("/tickets/pay.html"); @hide .masthead, .promo-feild; }
@needle front { pages: page-id(1); .x { color: teal; margin: 0; } .logo { color: red; } }
@needle words { pages: path("/legal"); @swap .masthead { text: "Saltmere"; } }
@needle off { pages: all; paused: yes; @hide .x; }
@needle gone { pages: path("/nowhere"); @hide .x; }`;
const theme = pageHtml(
  'class="page-1 home"',
  '<style>.x { color: red !important } .logo { color: red }</style><header class="masthead"><img class="logo" src="/l.svg"></header><p class="x">a</p>',
);

test.each(['text', 'json', 'csv', 'sarif', 'junit', 'markdown', 'html'])(
  'check --format %s is as it was',
  async (format) => {
    const directory = smallProject(rules, { 'public/index.html': theme });
    const { status, out } = await run(directory, ['check', '--format', format]);
    expect(status).toBe(1);
    // The page's styles and script, and the docs of a finding, are not what is looked at here.
    const shown = out
      .replace(/\d{4}-\d\d-\d\d, local-needle/, '2026-11-26, local-needle')
      .replace(/<(style|script)>[^]*?<\/\1>/g, '<$1></$1>')
      .replace(/"(text|markdown)": "(\w[^"\\]*)\\n\\n(?:[^"\\]|\\.)*"/g, '"$1": "$2 …"');
    expect(shown).toMatchSnapshot();
  },
);
