/** CSS of a report: light or dark by preference, no external files. */
export const reportStyle = `
:root { color-scheme: light dark; --ink: light-dark(#16232b, #e4ecef); --soft: light-dark(#4c616c, #a5b8c1); --paper: light-dark(#fff, #12191d); --band: light-dark(#eef4f5, #1b262c); --line: light-dark(#cfdbdf, #33444d); --good: light-dark(#17673a, #7fd6a0); --bad: light-dark(#a3221a, #ff9a90); --odd: light-dark(#7a4b00, #f0c070); --sea: light-dark(#0b5563, #7cc7d6); }
* { box-sizing: border-box; }
body { margin: 0 auto; max-width: 1180px; padding: 16px 24px 64px; color: var(--ink); background: var(--paper); font: 15px/1.5 system-ui, sans-serif; }
h1, h2, h3 { line-height: 1.25; margin: 0 0 8px; } h1 { font-size: 26px; } h2 { font-size: 20px; margin-top: 28px; } h3 { font-size: 16px; }
small, .place { color: var(--soft); font-weight: normal; } p { margin: 0 0 8px; }
code, .place, .pages { font-family: ui-monospace, 'DejaVu Sans Mono', monospace; font-size: 13px; overflow-wrap: anywhere; }
#tools:not([hidden]) { display: flex; flex-wrap: wrap; gap: 8px 20px; align-items: center; background: var(--band); padding: 10px 14px; border-radius: 6px; position: sticky; top: 0; z-index: 1; }
#tools p { margin: 0; color: var(--soft); } fieldset { border: 0; margin: 0; padding: 0; display: flex; flex-wrap: wrap; gap: 4px 14px; } legend { float: left; padding: 0 10px 0 0; }
input[type=search] { font: inherit; padding: 4px 8px; min-width: 240px; color: inherit; background: var(--paper); border: 1px solid var(--soft); border-radius: 4px; }
:focus-visible { outline: 2px solid var(--sea); outline-offset: 2px; }
.finding { border-left: 4px solid var(--odd); background: var(--band); padding: 10px 14px; margin: 0 0 10px; border-radius: 0 6px 6px 0; content-visibility: auto; contain-intrinsic-size: auto 110px; }
.finding.error { border-left-color: var(--bad); } .level, strong.error, strong.warning { color: var(--odd); } .error .level, strong.error { color: var(--bad); } .finding.note { border-left-color: var(--line); } .note .level { color: inherit; }
.hint::before { content: '→ '; color: var(--sea); }
.fixes { margin: 0; color: var(--good); }
.map { overflow-x: auto; } .map text { font: 11px system-ui, sans-serif; fill: var(--ink); } .map .signs text { fill: var(--paper); text-anchor: middle; } .map .good { fill: var(--good); } .map .sea { fill: var(--sea); } .map .odd { fill: var(--odd); } .map .bad { fill: var(--bad); }
.rule { content-visibility: auto; contain-intrinsic-size: auto 130px; border-top: 1px solid var(--line); padding: 14px 0 6px; }
table { border-collapse: collapse; width: 100%; table-layout: fixed; } th, td { text-align: left; vertical-align: top; padding: 4px 16px 4px 0; } thead { position: absolute; clip-path: inset(50%); } .where { width: 38%; }
ul { margin: 4px 0 8px; padding-left: 20px; } .pages { list-style: none; padding: 0; margin: 0; } summary { cursor: pointer; }
.verdict { display: inline-block; min-width: 58px; text-align: center; font-weight: bold; border: 1px solid currentColor; border-radius: 4px; padding: 0 6px; font-size: 13px; color: var(--odd); }
label:has([type=checkbox]) { white-space: nowrap; } .hit { color: var(--good); } .overridden, .no-match { color: var(--bad); } .pending, .unjudged { color: var(--sea); }
@media print { #tools { display: none !important; } .rule, .finding { content-visibility: visible; } details::details-content { content-visibility: visible; block-size: auto; } }
`;

/** The report's script: search and filter. */
export const reportScript = `
(() => {
  const tools = document.getElementById('tools'), search = document.getElementById('search'), shown = document.getElementById('shown');
  const rules = [...document.querySelectorAll('.rule')].map((element) => ({
    element, name: element.querySelector('h3').textContent.toLowerCase(),
    rows: [...element.querySelectorAll('tbody tr')].map((row) => ({ row, verdict: row.dataset.verdict, cells: +row.dataset.cells, text: null })),
  }));
  const findings = [...document.querySelectorAll('.finding')].map((element) => ({ element, text: element.textContent.toLowerCase() }));
  const show = () => {
    const words = search.value.toLowerCase().split(/\\s+/).filter(Boolean);
    const verdicts = new Set([...tools.querySelectorAll('[name=verdict]:checked')].map((box) => box.value));
    const all = document.querySelectorAll('[name=verdict]').length === verdicts.size && words.length === 0;
    let cells = 0;
    for (const { element, name, rows } of rules) {
      let any = all;
      for (const each of rows) {
        const fits = verdicts.has(each.verdict) && words.every((word) => name.includes(word) || (each.text ??= each.row.textContent.toLowerCase()).includes(word));
        if (each.row.hidden === fits) each.row.hidden = !fits;
        if (fits) { any = true; cells += each.cells; }
      }
      if (element.hidden === any) element.hidden = !any;
    }
    for (const { element, text } of findings) element.hidden = !words.every((word) => text.includes(word));
    shown.textContent = cells + (cells === 1 ? ' cell' : ' cells') + ' shown';
  };
  let timer;
  addEventListener('beforeprint', () => document.querySelectorAll('details').forEach((each) => (each.open = true)));
  tools.hidden = false;
  tools.addEventListener('submit', (event) => event.preventDefault());
  tools.addEventListener('input', () => { clearTimeout(timer); timer = setTimeout(show, 80); });
  show();
})();
`;
