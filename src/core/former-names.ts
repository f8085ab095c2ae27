/** Words that were renamed before the first release, so that a file or a call that still has one gets an error with the new one. */
export const formerNames = {
  command: { start: 'init', gather: 'capture', lift: 'convert', drift: 'compare' },
  option: {
    'at-once': '--parallel',
    seconds: '--timeout',
    anew: '--refetch',
    try: '--dry-run',
    anyway: '--force',
    late: '--added-by-script',
    strength: '--important',
  },
  atRule: { guard: '@keep-visible', style: '@style-file' },
  descriptor: {
    expects: 'page-count: 3',
    strength: 'important: yes',
    arrives: 'added-by: script',
    pseudo: 'pseudo-class',
  },
  finding: {
    'no-page': 'missing-page',
    'no-element': 'missing-element',
    'no-visitor': 'missing-visitor',
    'no-body': 'missing-content',
    'no-action': 'missing-action',
    'bad-css': 'invalid-css',
    'bad-path': 'invalid-path',
    'bad-script': 'invalid-script',
    'bad-swap': 'invalid-swap',
    beaten: 'overridden',
    guard: 'hidden-by-rule',
    partly: 'partial',
    idle: 'no-effect',
    lost: 'no-longer-hit',
    stale: 'stale-build',
    'weak-handle': 'site-specific-id',
    'unseen-stylesheet': 'uncaptured-stylesheet',
  },
  verdict: {
    partly: 'partial',
    beaten: 'overridden',
    idle: 'no-effect',
    empty: 'no-match',
    late: 'pending',
    unseen: 'unjudged',
  },
} as const satisfies Record<string, Record<string, string>>;

/** `"start" is now init.`; null for a word that was not renamed. */
export function renamedHint(kind: keyof typeof formerNames, word: string): string | null {
  const names: Record<string, string> = formerNames[kind];
  return Object.hasOwn(names, word) ? `"${word}" is now ${names[word] ?? ''}.` : null;
}
