import { BoundedMap } from '../bounded-map.js';
import type { OurSheet } from '../css/cascade/cascade.js';
import type { Owner } from './compiled.js';

/** Maximum number of sheets that are kept. */
const mostSheets = 2000;

/** Sheets of ours by what they are made of: pages that get the same share one, and with it what the cascade tells of it. */
export class SharedSheets<Part extends object> {
  private readonly known = new BoundedMap<string, OurSheet<Owner> | null>(mostSheets);
  private readonly numbers = new Map<Part, number>();

  constructor(private readonly make: (parts: Part[]) => OurSheet<Owner> | null) {}

  of(parts: Part[]): OurSheet<Owner> | null {
    const key = parts.map((part) => this.numberOf(part)).join(' ');
    let sheet = this.known.get(key);
    if (sheet === undefined) this.known.set(key, (sheet = this.make(parts)));
    return sheet;
  }

  private numberOf(part: Part): number {
    const number = this.numbers.get(part) ?? this.numbers.size;
    this.numbers.set(part, number);
    return number;
  }
}
