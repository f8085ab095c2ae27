import parsePolicy from 'content-security-policy-parser';

/** What the preview adds to a page, as its Content-Security-Policy must allow it. */
export interface Allowed {
  /** Where the preview's own files are served: `http://127.0.0.1:4820/.local-needle/`. */
  own: string;
  /** The origin of the panel. */
  panel: string;
  /** The origin of the site itself: `'self'` of its pages. */
  site: string | null;
  /** For scripts where the policy trusts nothing but nonces. */
  nonce: string;
}

/** What would report to the live site, or does not fit an http address of this machine. */
const dropped = ['report-uri', 'report-to', 'upgrade-insecure-requests', 'block-all-mixed-content', 'sandbox'];

/**
 * Directives that take over from one another (CSP Level 3, 6.8.3), and what the preview adds to the first that is there;
 * `own` is written again where a more general one is in for it.
 */
const chains: { chain: string[]; own: string; add: (allowed: Allowed) => string }[] = [
  { chain: ['script-src-elem', 'script-src', 'default-src'], own: 'script-src', add: ({ own }) => own },
  { chain: ['style-src-elem', 'style-src', 'default-src'], own: 'style-src', add: ({ own }) => own },
  { chain: ['img-src', 'default-src'], own: 'img-src', add: ({ own }) => own },
  { chain: ['font-src', 'default-src'], own: 'font-src', add: ({ own }) => own },
  { chain: ['frame-src', 'child-src', 'default-src'], own: 'frame-src', add: ({ panel }) => panel },
];

/** A policy (of a header: several, with commas) that lets the preview's own parts in and is otherwise as it was. */
export const relaxed = (policies: string, allowed: Allowed): string =>
  policies
    .split(',')
    .map((policy) => relaxedOne(policy, allowed))
    .filter((policy) => policy !== '')
    .join(', ');

function relaxedOne(policy: string, allowed: Allowed): string {
  const directives = new Map([...parsePolicy(policy)].filter(([name]) => !dropped.includes(name)));
  // Needle.js swaps HTML; what the live page would say to that is reported in the panel.
  directives.delete('require-trusted-types-for');
  for (const [name, sources] of directives)
    if (allowed.site && sources.some((each) => each.toLowerCase() === "'self'"))
      directives.set(name, [...sources, allowed.site]);
  if (directives.has('frame-ancestors')) directives.set('frame-ancestors', [allowed.panel]);
  const given = new Map(directives);
  for (const { chain, own, add } of chains) {
    const from = chain.find((name) => given.has(name));
    if (from === undefined) continue;
    const sources = (given.get(from) ?? []).filter((each) => each.toLowerCase() !== "'none'");
    const strict = own === 'script-src' && sources.some((each) => each.toLowerCase() === "'strict-dynamic'");
    const added = [add(allowed), ...(strict ? [`'nonce-${allowed.nonce}'`] : [])];
    directives.set(from === 'default-src' || from === 'child-src' ? own : from, [...sources, ...added]);
  }
  return [...directives].map(([name, sources]) => [name, ...sources].join(' ')).join('; ');
}
