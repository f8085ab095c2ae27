// Loaded into a program before it starts (node --import): its nth call that changes the disk is its last. FAULT_AT is n, from 0;
// FAULT is "kill", "half" (a write is done by half first) or an error code such as ENOSPC. Without FAULT_AT it counts the calls
// and writes their number to the file FAULT_COUNT.
import fs from 'node:fs';
import { syncBuiltinESMExports } from 'node:module';

const { FAULT, FAULT_AT, FAULT_COUNT, FAULT_IN } = process.env;
const changing =
  /^(write|rename|rm|mkdir|mkdtemp|copyFile|cp|symlink|link|unlink|append|truncate|ftruncate|chmod|fchmod|chown|fchown|fsync|utimes|futimes)/;
const { writeSync, writeFileSync: writeFile } = fs;
let calls = 0;
let inside = false;

for (const [name, real] of Object.entries(fs)) {
  if (typeof real !== 'function' || !changing.test(name) || name.endsWith('Stream')) continue;
  fs[name] = function (...given) {
    // What Node does by calls of its own is one step.
    if (inside) return real.apply(this, given);
    // Handles and places outside of the folder do not count.
    if (FAULT_IN && typeof given[0] === 'string' && !given[0].startsWith(FAULT_IN)) return real.apply(this, given);
    if (FAULT_AT !== undefined && calls++ === Number(FAULT_AT)) {
      if (FAULT !== 'kill' && FAULT !== 'half')
        throw Object.assign(new Error(`${FAULT}: made by a test`), { code: FAULT });
      const content = given[1];
      if (FAULT === 'half' && /^(write|append)/.test(name) && content?.length > 1 && typeof content !== 'number') {
        const half = content.slice(0, content.length >> 1);
        if (typeof given[0] === 'number') writeSync(given[0], half);
        else writeFile(given[0], half, given[2]);
      }
      process.kill(process.pid, 'SIGKILL');
    } else if (FAULT_AT === undefined) calls++;
    inside = true;
    try {
      return real.apply(this, given);
    } finally {
      inside = false;
    }
  };
}
syncBuiltinESMExports();
if (FAULT_COUNT) process.on('exit', () => writeFile(FAULT_COUNT, String(calls)));
