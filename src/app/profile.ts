import { cpus, type } from 'node:os';
import type { CheckStep, Timed } from '../core/check/input.js';

/** The steps of a check, and what comes before it. */
type TimedStep = CheckStep | 'read the project';

/** Where the time of a check went. */
export class Profile {
  private readonly start = performance.now();
  private readonly steps = new Map<TimedStep, { ms: number; times: number }>();
  private readonly pages = new Map<string, Partial<Record<TimedStep, number>>>();

  /** The time of the steps inside of the one that runs. */
  private inside = 0;

  /** Runs a step and counts its time, without that of steps inside of it. */
  timed: Timed<TimedStep> = (step, page, run) => {
    const start = performance.now();
    const outside = this.inside;
    this.inside = 0;
    try {
      return run();
    } finally {
      const whole = performance.now() - start;
      const ms = whole - this.inside;
      this.inside = outside + whole;
      const all = this.steps.get(step) ?? { ms: 0, times: 0 };
      this.steps.set(step, { ms: all.ms + ms, times: all.times + 1 });
      if (page) {
        const own = this.pages.get(page.path) ?? {};
        this.pages.set(page.path, { ...own, [step]: (own[step] ?? 0) + ms });
      }
    }
  };

  /** The profile as JSON: milliseconds by step, and by page those that took longest first. */
  text(version: string): string {
    const rounded = (ms: number) => Math.round(ms * 100) / 100;
    const pages = [...this.pages].map(([path, steps]) => {
      const ms = Object.values(steps).reduce((sum, each) => sum + each, 0);
      const own = Object.entries(steps).map(([step, each]) => [step, rounded(each)] as const);
      return { path, ms: rounded(ms), steps: Object.fromEntries(own) };
    });
    return `${JSON.stringify(
      {
        kind: 'local-needle.profile',
        version: 1,
        program: version,
        node: process.version,
        system: `${type()} ${process.arch}, ${cpus().length} cores`,
        ms: rounded(performance.now() - this.start),
        memory: Math.round(process.resourceUsage().maxRSS / 1024),
        steps: [...this.steps].map(([step, { ms, times }]) => ({ step, ms: rounded(ms), times })),
        pages: pages.sort((a, b) => b.ms - a.ms),
      },
      null,
      2,
    )}\n`;
  }
}
