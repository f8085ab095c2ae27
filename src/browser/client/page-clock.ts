import { install } from '@sinonjs/fake-timers';
import type { PageClock } from '../page-clock.js';

// Runs in each frame before the page's own scripts: the clock stands still until it is told to go on.
const clock = install({
  now: Date.UTC(2026, 0, 15, 12),
  toFake: [
    ...(['Date', 'performance', 'setTimeout', 'clearTimeout', 'setInterval', 'clearInterval'] as const),
    ...(['requestAnimationFrame', 'cancelAnimationFrame', 'requestIdleCallback', 'cancelIdleCallback'] as const),
  ],
});
(window as { localNeedleClock?: PageClock }).localNeedleClock = { run: (ms) => clock.tickAsync(ms) };
