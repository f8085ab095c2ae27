import { existsSync } from 'node:fs';

const usualPlaces = ['/usr/bin/chromium', '/usr/bin/chromium-browser', '/usr/bin/google-chrome', '/snap/bin/chromium'];

/** Path of the Chromium to run: `LOCAL_NEEDLE_CHROMIUM`, or the first usual path that exists; null if none does. */
export function chromiumPath(environment: NodeJS.ProcessEnv = process.env): string | null {
  const named = environment['LOCAL_NEEDLE_CHROMIUM'];
  if (named) return existsSync(named) ? named : null;
  return usualPlaces.find((place) => existsSync(place)) ?? null;
}
