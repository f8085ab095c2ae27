import { inSteps } from '../app/in-steps.js';
import { buildBundle, type Bundle, type BundleForm } from '../core/ship/bundle.js';
import { addressesOf } from '../core/target/scope.js';
import { marksOf } from '../core/ship/marks.js';
import { prepareShipments, type Shipments, type ShippedRule } from '../core/ship/shipment.js';
import type { Answers } from '../core/ship/survey.js';
import type { Kept } from '../core/check/result-cache.js';
import { tasksOf } from '../core/ship/tasks.js';
import type { CheckInput } from '../core/check/input.js';
import type { CheckReport } from '../core/check/verdict.js';
import type { View } from '../core/page/view.js';
import type { PathOptions } from '../core/page/path.js';
import { ProblemError } from '../core/place.js';
import { rulePages } from '../core/target/delivery.js';
import { hasEnded } from '../core/rule/status.js';
import type { Rule } from '../core/rule/rule.js';
import type { Medium } from '../core/css/cascade/media.js';
import type { PageState } from '../core/page/state.js';
import type { DraftSwap, News, PreviewStatus } from './protocol.js';

/** The project and its pages as they were read at one moment. */
export interface Reading {
  input: CheckInput;
  /** The pages that are shown. */
  view: View;
  pathOptions: PathOptions;
  shippedName: BundleForm['shippedName'];
  /** Visitors of local-needle.yaml. */
  visitors: string[];
  /** What the state that is looked at does to pages; null: nothing. */
  change: PageState | null;
  /** The medium that pages are looked at in; null: that of the browser. */
  medium: Medium | null;
  /** Where the live site serves the build; null if nobody said. */
  bundleAddress: string | null;
  /** Answers read from pages so far, for builds. */
  learnt: Kept<Answers>;
  /** Judges all rules but those that are switched off, in steps. */
  check: (off: ReadonlySet<string>) => AsyncGenerator<undefined, CheckReport>;
}

/** What local-needle.js does for a rule, to see where a change needs the page again. */
interface Acting {
  signature: string;
  pages: string[];
}

/** Time for pages to fetch the new stylesheet before the verdicts are made, in milliseconds. */
const headStart = 150;

/** An error of input as a problem, such as a page that is just being written. Throws errors that are bugs. */
function asProblem(error: unknown): ProblemError {
  if (error instanceof ProblemError) return error;
  if (error instanceof Error && 'syscall' in error) return new ProblemError([{ message: error.message }], 'access');
  throw error;
}

/** The build of a reading; pages whose answers are known are not opened. */
const prepare = ({ input, view, learnt }: Reading): Shipments => prepareShipments({ ...input, ...view, learnt });

/** What the preview shows at the moment: the last good reading, and which rules are switched off. */
export class PreviewSession {
  private readonly off = new Set<string>();
  private readonly listeners = new Set<(news: News) => void>();
  private shipments: Shipments;
  private acting = new Map<string, Acting>();
  private timer: NodeJS.Timeout | undefined;
  /** Counts what was to be judged, so that an older one is given up. */
  private turn = 0;
  private isClosed = false;
  bundle: Bundle;
  /** The last verdicts; null before the first. */
  report: CheckReport | null = null;
  /** Whether they are being made again. */
  judging = true;
  /** A rule file that is broken now. */
  problem: ProblemError | null = null;
  /** Counts what was shown; part of the addresses of what ships. */
  version = 1;

  /** Begins with a reading; `read` makes the next ones. Throws ProblemError. */
  constructor(
    public reading: Reading,
    private readonly read: () => Reading,
    private readonly onProblem: (problem: ProblemError | null) => void,
  ) {
    this.shipments = prepare(this.reading);
    this.bundle = this.build();
    this.acting = this.whatActs();
  }

  /** Makes the first verdicts. */
  start(): void {
    this.judgeSoon(0);
  }

  /** Sends events until the returned function is called. */
  listen(listener: (news: News) => void): () => void {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  }

  /** Reads everything again; if that fails, the last state stays. `pagesChanged`: the captured pages changed too. */
  refresh(pagesChanged: boolean): void {
    try {
      const reading = this.read();
      const shipments = prepare(reading);
      this.reading = reading;
      this.shipments = shipments;
      if (this.problem) this.onProblem(null);
      this.problem = null;
      this.show(pagesChanged);
    } catch (error) {
      this.fail(error);
    }
  }

  /**
   * Shows a draft, or what is there without it. Pages are not loaded again for it, so what a script of ours does is seen when it
   * is written. Throws ProblemError; what was shown then stays.
   */
  redraft(): void {
    if (this.isClosed) return;
    const reading = this.read();
    const shipments = prepare(reading);
    this.reading = reading;
    this.shipments = shipments;
    this.show(false, true);
  }

  private fail(error: unknown): void {
    this.problem = asProblem(error);
    this.onProblem(this.problem);
    this.tell({ kind: 'look' });
  }

  /** Switches a rule, or all of them (null); false if there is no such rule. */
  switch(name: string | null, on: boolean): boolean {
    const names = this.reading.input.rules.map((rule) => rule.name);
    if (name !== null && !names.includes(name)) return false;
    for (const each of name === null ? names : [name])
      if (on) this.off.delete(each);
      else this.off.add(each);
    this.show(false);
    return true;
  }

  /** Has all pages loaded again. */
  reloadAll(): void {
    this.tell({ kind: 'reload', paths: null, version: this.version });
  }

  statusOf(rule: Rule): PreviewStatus {
    if (rule.paused) return 'paused';
    if (hasEnded(rule, this.reading.input.today)) return 'expired';
    return this.off.has(rule.name) ? 'off' : 'on';
  }

  private show(pagesChanged: boolean, isDraft = false): void {
    const [bundle, acting] = [this.build(), this.whatActs()];
    const touched = new Set<string>();
    for (const name of isDraft ? [] : new Set([...acting.keys(), ...this.acting.keys()])) {
      const [now, before] = [acting.get(name), this.acting.get(name)];
      if (now?.signature !== before?.signature)
        for (const path of [...(now?.pages ?? []), ...(before?.pages ?? [])]) touched.add(path);
    }
    const restyled = bundle.css.text !== this.bundle.css.text;
    this.bundle = bundle;
    if (!isDraft) this.acting = acting;
    if (restyled || touched.size > 0 || pagesChanged) this.version++;
    if (restyled) this.tell({ kind: 'styles', version: this.version });
    if (pagesChanged || touched.size > 0)
      this.tell({ kind: 'reload', paths: pagesChanged ? null : [...touched], version: this.version });
    this.judging = true;
    this.tell({ kind: 'look' });
    this.judgeSoon(headStart);
  }

  private judgeSoon(ms: number): void {
    clearTimeout(this.timer);
    const turn = ++this.turn;
    this.timer = setTimeout(() => void this.judge(() => this.turn === turn), ms);
  }

  private async judge(isCurrent: () => boolean): Promise<void> {
    try {
      const report = await inSteps(this.reading.check(new Set(this.off)), isCurrent);
      if (!report) return;
      this.report = report;
      this.judging = false;
      this.tell({ kind: 'look' });
    } catch (error) {
      this.judging = false;
      this.fail(error);
    }
  }

  /** Stops what is still to be done. */
  close(): void {
    this.isClosed = true;
    this.turn++;
    clearTimeout(this.timer);
  }

  private tell(news: News): void {
    for (const listener of this.listeners) listener(news);
  }

  private get shipped(): ShippedRule[] {
    return this.shipments.whole.rules.filter(({ rule }) => !this.off.has(rule.name));
  }

  private build(): Bundle {
    const { view, pathOptions, shippedName } = this.reading;
    const whole = { ...this.shipments.whole, rules: this.shipped };
    const form = { site: view.site.name, pathOptions, minify: null, withScript: true, shippedName };
    return buildBundle({ whole }, { ...form, nameOf: (name) => name });
  }

  /** The names by which local-needle.js marks a page for a rule, where it has no other handle. */
  marksFor(name: string, path: string): string[] {
    const { view, input, pathOptions } = this.reading;
    const rule = this.shipped.find((each) => each.rule.name === name)?.rule;
    const { queryKeys = [] } = pathOptions;
    return rule ? marksOf({ path }, { addresses: addressesOf(rule, view.site, input.paths), queryKeys }) : [];
  }

  /** The words and pictures that a rule puts into elements. */
  swapsOf(name: string): DraftSwap[] {
    const { shippedName } = this.reading;
    const own = this.shipped.filter(({ rule }) => rule.name === name);
    return own
      .flatMap((shipped) => tasksOf(shipped, (file) => (file.content ? shippedName(file) : file.url)))
      .map(({ scope, selector, text, image, alt }) => ({ scope, selector, text, image, alt }));
  }

  /** What local-needle.js does, rule by rule: its tasks, and the addresses that it tells apart. Rules of CSS alone are left out. */
  private whatActs(): Map<string, Acting> {
    const { view, input, shippedName } = this.reading;
    return new Map(
      this.shipped.flatMap((shipped): [string, Acting][] => {
        const { rule } = shipped;
        const tasks = tasksOf(shipped, (file) => (file.content ? shippedName(file) : file.url)).map(
          ({ script, ...task }) => [task, script?.content ? new TextDecoder().decode(script.content) : null],
        );
        const addresses = addressesOf(rule, view.site, input.paths);
        if (tasks.length === 0 && addresses.length === 0) return [];
        const pages = [...rulePages(rule, view.site)].map(({ path }) => path);
        return [[rule.name, { signature: JSON.stringify([tasks, addresses]), pages }]];
      }),
    );
  }
}
