import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { packageFolder } from '../../demo/site.js';
import { findingCodes } from '../core/finding.js';
import { renamedHint } from '../core/former-names.js';
import { suggestion } from '../core/nearest.js';
import { ProblemError } from '../core/place.js';
import { verdictMeanings } from '../core/check/verdict.js';
import { styleFor } from '../report/text.js';
import { explanationOf, explanationText } from '../report/explanation.js';
import { defineCommand, status, type ArgumentsOf } from './command.js';

const positionals = {
  code: { type: 'string', describe: 'A finding or a verdict; without one, all are listed' },
} as const;

type ExplainArguments = ArgumentsOf<typeof positionals, Record<never, never>>;

export const command = defineCommand<ExplainArguments>({
  positionals,
  examples: [
    ['$0 explain missing-element', 'what it means, an example, what to do'],
    ['$0 explain partial', 'a verdict and the finding of the same name'],
  ],
  run({ code }, { out }) {
    const style = styleFor(process.stdout, process.env);
    if (code === undefined) {
      const list = (title: string, table: Record<string, string>) => [
        style.colour.bold(title),
        ...Object.entries(table).map(([name, means]) => `  ${name.padEnd(24)}${means}`),
      ];
      const findings = Object.fromEntries(Object.entries(findingCodes).map(([name, { means }]) => [name, means]));
      out([...list('Verdicts', verdictMeanings), '', ...list('Findings', findings)].join('\n'));
      return Promise.resolve(status.fine);
    }
    const docs = readFileSync(join(packageFolder(), 'docs', 'findings.md'), 'utf8');
    const found = explanationOf(code, docs);
    if (!found)
      throw new ProblemError([
        {
          message: `There is no finding or verdict "${code}"`,
          hint:
            renamedHint('finding', code) ??
            renamedHint('verdict', code) ??
            suggestion(code, [...Object.keys(findingCodes), ...Object.keys(verdictMeanings)]),
        },
      ]);
    out(explanationText(found, style));
    return Promise.resolve(status.fine);
  },
});
