import { check } from '../core/check/check.js';
import { ProblemError } from '../core/place.js';
import type { Rule } from '../core/rule/rule.js';
import { readForEdit, withPause, writeEdited } from '../project/edit.js';
import { loadProject, type Project } from '../project/project.js';
import { chosenSite } from '../project/read-configuration.js';
import { findProject } from '../project/settings.js';
import { rulesReport, rulesText } from '../report/rules.js';
import { styleFor } from '../report/text.js';
import { ruleNamed } from '../app/rule-named.js';
import { defineCommand, type ArgumentsOf, type CommonArguments, status } from './command.js';
import { today } from '../app/call.js';
import { checkOf } from '../app/check-input.js';
import { capturedSite } from '../app/sites.js';

/** A check of the rules on a site; null if it is not captured. */
function lastLook(project: Project, args: CommonArguments) {
  const source = chosenSite(project.settings, args.site);
  const content = capturedSite(project.directory, project.settings, source, null);
  if (!content) return null;
  const { input, keep } = checkOf(project, source, content, args);
  const report = check({ ...input, loading: null, hints: null });
  keep(false);
  return report;
}

function setPaused(project: Project, name: string | undefined, paused: boolean, out: (text: string) => void): number {
  if (name === undefined)
    throw new ProblemError([
      {
        message: `Name the rule: local-needle rules ${paused ? 'pause' : 'resume'} RULE`,
        hint: 'local-needle rules lists them.',
      },
    ]);
  const rule = ruleNamed(name, project.rules);
  if (!project.settings.pageFiles || !rule.name.includes('/')) return edit(project, rule, paused, out);
  throw new ProblemError([
    {
      message: `${rule.name} comes from a file named after its page, not from a @needle block`,
      hint: 'Move the file out of the page-files folder to turn it off.',
    },
  ]);
}

function edit(project: Project, rule: Rule, paused: boolean, out: (text: string) => void): number {
  const form = readForEdit(project.directory, rule.at.file);
  const text = withPause(form.text, rule.name, paused);
  const said = paused ? 'paused: it does not ship' : 'on';
  if (text === form.text) out(`${rule.name} was ${said} already.`);
  else {
    writeEdited(project.directory, rule.at.file, form, text);
    out(`${rule.name} is ${said} (${rule.at.file}:${rule.at.line}).`);
  }
  return status.fine;
}

const positionals = {
  do: {
    choices: ['list', 'pause', 'resume'],
    default: 'list',
    describe: 'list, pause or resume',
  },
  name: { type: 'string', describe: 'The rule to pause or resume' },
} as const;

type RulesArguments = ArgumentsOf<typeof positionals, Record<never, never>>;

export const command = defineCommand<RulesArguments>({
  positionals,
  formats: ['text', 'json'],
  examples: [
    ['$0 rules', 'every rule with its note and verdicts'],
    ['$0 rules pause calm-payment', 'stop shipping one rule'],
  ],
  async run(args, { out }) {
    const project = loadProject(findProject(args.project, process.cwd()));
    if (args.do === 'pause' || args.do === 'resume') return setPaused(project, args.name, args.do === 'pause', out);
    const report = lastLook(project, args);
    out(
      args.format === 'json'
        ? JSON.stringify(rulesReport(project.rules, report, today()), null, 2)
        : rulesText(project.rules, report, today(), styleFor(process.stdout, process.env)),
    );
    return status.fine;
  },
});
