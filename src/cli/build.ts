import { join, relative } from 'node:path';
import { buildBundle } from '../core/build/bundle.js';
import { check } from '../core/check/check.js';
import { ProblemError } from '../core/place.js';
import { count, firstFew } from '../report/text.js';
import { failOn, statusFor, type FailArguments } from './check.js';
import { today, type Command } from './command.js';
import { lookAt, openProject } from './open.js';
import { shippedName } from './shipped-name.js';
import { writeFiles } from './write.js';

interface BuildArguments extends FailArguments {
  as: string;
  out: string;
  script: boolean;
}

export const command: Command<BuildArguments> = {
  options: {
    as: { choices: ['bundle'], default: 'bundle', describe: 'What to build: one stylesheet and one script' },
    out: { type: 'string', default: 'needle', describe: 'Folder to write to, counted from where you are' },
    script: { type: 'boolean', default: true, describe: 'With --no-script, refuse to build what needs needle.js' },
    ...failOn,
  },
  examples: [['$0 build --as bundle --out public/assets', 'needle.css, and needle.js if a rule needs it']],
  async run(args, { out, log }) {
    const { project, source, content } = openProject(args);
    const look = lookAt(args, project, source, content);
    const { rules } = project;
    const report = check({
      ...look,
      rules,
      findings: [...project.findings, ...content.findings],
      others: [],
      today: today(),
    });
    const bundle = buildBundle({
      site: content.site,
      rules,
      open: content.open,
      paths: look.paths,
      today: today(),
      pathOptions: source.pathOptions,
      shippedName,
    });
    if (bundle.js !== null && !args.script) {
      throw new ProblemError([
        {
          message: 'These rules need needle.js, and --no-script forbids it',
          hint: 'Run local-needle check: needs-script, @swap and @script say where.',
        },
      ]);
    }
    const files = new Map<string, string | Uint8Array>([
      ['needle.css', bundle.css],
      ['needle.css.map', bundle.cssMap],
    ]);
    if (bundle.js !== null && bundle.jsMap !== null)
      files.set('needle.js', bundle.js).set('needle.js.map', bundle.jsMap);
    for (const [name, bytes] of bundle.files) files.set(name, bytes);
    writeFiles(args.out, files);
    const errors = report.findings.filter(({ level }) => level === 'error');
    const size = (name: string) => `${(Buffer.byteLength(files.get(name) ?? '') / 1024).toFixed(1)} KB`;
    const shown = (name: string) => join(relative(process.cwd(), join(process.cwd(), args.out)) || '.', name);
    out(`${content.site.name}: ${count(bundle.rules, 'rule')} for ${count(bundle.pages, 'page')}`);
    for (const name of files.keys()) if (!name.endsWith('.map')) out(`  ${shown(name)}  ${size(name)}`);
    if (bundle.atRunTime.length > 0) out(`  Told by needle.js at run time: ${firstFew(bundle.atRunTime, 5)}`);
    for (const { rule, reason } of bundle.left) out(`  Left out: ${rule} (${reason})`);
    const base = source.bundleAddress?.replace(/[^/]*$/, '') ?? '';
    out(
      `Load them last in <head>:\n  <link rel="stylesheet" href="${base}needle.css">${bundle.js === null ? '' : `\n  <script src="${base}needle.js"></script>`}`,
    );
    if (errors.length > 0) {
      const which = [...new Set(errors.map(({ code, rule }) => `${code} in ${rule ?? 'a rule file'}`))];
      log(
        `Built what is sound, with ${count(errors.length, 'error')}: ${firstFew(which, 5)}. local-needle check says more.`,
      );
    }
    return statusFor(
      report.findings.map(({ level }) => level),
      args['fail-on'],
    );
  },
};
