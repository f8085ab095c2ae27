import { mediumOf, type Medium } from '../core/css/cascade/media.js';
import type { LiveProject } from './live-project.js';

/** How pages are looked at, as somebody chose it; null: as local-needle.yaml has it, or as nobody in particular. */
export interface LookRequest {
  viewport: string;
  state: string | null;
  visitor: string | null;
  colorScheme: 'light' | 'dark' | null;
  print: boolean;
}

/** A viewport to choose, in CSS pixels, with what pages are told of it. */
export interface Seat {
  name: string;
  width: number;
  height: number;
  medium: Medium;
}

/** What there is to choose from. */
export interface LooksState {
  now: LookRequest;
  viewports: Seat[];
  states: string[];
  visitors: { name: string; captured: boolean }[];
}

/** How the pages are looked at, and how else they can be. */
export function looksOf(live: LiveProject): LooksState {
  const { input, project } = live.read();
  const { colorScheme = null, media } = live.look.more ?? {};
  return {
    now: {
      ...{ viewport: input.viewport, state: input.state, visitor: input.visitor },
      ...{ colorScheme, print: media === 'print' },
    },
    viewports: input.viewports.map((each) => ({
      ...{ name: each.name, width: each.width, height: each.height },
      medium: mediumOf(each),
    })),
    states: Object.keys(project.settings.states),
    visitors: Object.keys(project.settings.visitors).map((name) => ({ name, captured: input.view(name) !== null })),
  };
}

/** Looks at the pages as somebody chose. Throws ProblemError for what local-needle.yaml lacks. */
export function chooseLook(live: LiveProject, { viewport, state, visitor, colorScheme, print }: LookRequest): void {
  const more = { ...(colorScheme ? { colorScheme } : {}), ...(print ? { media: 'print' as const } : {}) };
  live.lookAt({
    ...{ viewport, state: state ?? undefined, visitor: visitor ?? undefined },
    more: Object.keys(more).length > 0 ? more : undefined,
  });
}
