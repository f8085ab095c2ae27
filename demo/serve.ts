// Serves both copies of the demo's site until it is stopped: npm run demo:serve
import { startDemoServer } from './server.js';

/** The ports that a project made by `local-needle demo` names. */
const ports = { live: 4810, staging: 4811 } as const;

for (const copy of ['live', 'staging'] as const) {
  try {
    const { address } = await startDemoServer(copy, ports[copy]);
    console.log(`${copy.padEnd(8)} ${address}`);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    console.error(
      code === 'EADDRINUSE' ? `Port ${ports[copy]} is in use: is the ${copy} copy up already?` : String(error),
    );
    process.exit(3);
  }
}
console.log('Saltmere Ferries is up; Ctrl+C stops it. A member has the cookie crew=1.');
