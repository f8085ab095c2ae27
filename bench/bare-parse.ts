// Reads and parses every page of a folder with parse5 alone: what the benchmarks are measured against.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'parse5';

const folder = process.argv[2] ?? '.';
for (const file of readdirSync(folder, { recursive: true, encoding: 'utf8' })) {
  if (file.endsWith('.html')) parse(readFileSync(join(folder, file), 'utf8'));
}
