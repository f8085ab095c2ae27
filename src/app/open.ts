import type { Viewport } from '../core/css/cascade/media.js';
import { hashOf } from '../capture/capture-store.js';
import { matchPlainly } from '../core/page/elements.js';
import type { Page } from '../core/page/page.js';
import type { View } from '../core/page/view.js';
import { ProblemError } from '../core/place.js';
import type { SiteContent } from '../capture/site-content.js';
import { loadProject, type Project } from '../project/project.js';
import { chosenSite, type SiteSource } from '../project/read-configuration.js';
import { findProject } from '../project/settings.js';
import { unknownVisitor } from '../project/visitor.js';
import type { SiteCall } from './call.js';
import { capturedSite, openSite } from '../app/sites.js';

/** Whether nothing quick is to be used, to compare with what is. */
export const isPlain = (): boolean => process.env['LOCAL_NEEDLE_PLAIN'] === '1';

/** The project and the site that a call is about. */
export function openProject(args: SiteCall): { project: Project; source: SiteSource; content: SiteContent } {
  if (isPlain()) matchPlainly();
  const project = loadProject(findProject(args.project, process.cwd()), args);
  const source = chosenSite(project.settings, args.site);
  return { project, source, content: openSite(project.directory, project.settings, source) };
}

/** Viewport, state and visitor, besides the site. */
export interface LookCall extends SiteCall {
  viewport?: string;
  state?: string;
  visitor?: string;
  /** What every viewport is besides what local-needle.yaml says of it: dark, printed. */
  more?: Pick<Viewport, 'colorScheme' | 'media'>;
}

/** Viewport, state and visitor of a check. Throws ProblemError for a name that local-needle.yaml lacks. */
export function viewOptions(args: LookCall, project: Project, source: SiteSource, content: SiteContent) {
  const { settings, directory } = project;
  const need = (kind: string, name: string | undefined, known: string[]) => {
    if (name !== undefined && !known.includes(name))
      throw new ProblemError([
        {
          message: `There is no ${kind} "${name}" in local-needle.yaml`,
          hint: known.length > 0 ? `Known: ${known.join(', ')}.` : `Add it below ${kind}s.`,
        },
      ]);
  };
  need(
    'viewport',
    args.viewport,
    settings.viewports.map(({ name }) => name),
  );
  need('state', args.state, Object.keys(settings.states));
  if (args.visitor !== undefined && !Object.hasOwn(settings.visitors, args.visitor))
    throw unknownVisitor(settings, args.visitor);
  const known = (view: View | null) => (args.byContent && view ? knownByContent(view) : view);
  const views = new Map<string | null, View | null>([[null, known(content)]]);
  const view = (visitor: string | null) => {
    if (!views.has(visitor)) views.set(visitor, known(capturedSite(directory, settings, source, visitor)));
    return views.get(visitor) ?? null;
  };
  if (args.visitor !== undefined && !view(args.visitor)) {
    throw new ProblemError(
      [
        {
          message: `The site "${source.name}" was not captured as ${args.visitor} sees it`,
          hint: `Run local-needle capture ${source.name} --visitor ${args.visitor}.`,
        },
      ],
      'access',
    );
  }
  return {
    view,
    states: settings.states,
    visitors: Object.keys(settings.visitors),
    state: args.state ?? null,
    visitor: args.visitor ?? null,
    viewport: args.viewport ?? settings.viewports[0]?.name ?? 'desktop',
    viewports: args.more ? settings.viewports.map((each) => ({ ...each, ...args.more })) : settings.viewports,
    allow: settings.allow,
    paths: settings.paths,
    place: settings.place,
    keptVisible: project.keptVisible,
    expectations: project.expectations,
    loading: null,
  };
}

/** The same pages, each told by what it holds. */
function knownByContent(view: View): View {
  const hashes = new Map<string, string>();
  const identity = (page: Page) => {
    let hash = hashes.get(page.path);
    if (hash === undefined) hashes.set(page.path, (hash = hashOf(new TextEncoder().encode(view.html(page)))));
    return hash;
  };
  return { ...view, identity };
}
