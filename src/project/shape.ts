import 'reflect-metadata';
import { getMetadataStorage, validateSync } from 'class-validator';
import { renamedHint } from '../core/former-names.js';
import { suggestion } from '../core/nearest.js';

/** A fault in one entry of an object from outside. */
export interface ShapeFault {
  /** The way to the entry, from the outermost object. */
  keys: string[];
  /** `"version" must be 1`, as a sentence without its end. */
  message: string;
  hint?: string;
  /** The key itself is at fault rather than its value. */
  unknownKey: boolean;
}

type Shape<T> = new () => T;

/** The keys that a class describes. */
export function knownKeys(shape: Shape<object>): string[] {
  const found = getMetadataStorage().getTargetValidationMetadatas(shape, '', false, false);
  return [...new Set(found.map((metadata) => metadata.propertyName))];
}

/** A value as an object of the class that describes it, with all faults; without faults it fits the class. */
export function checkedShape<T extends object>(
  shape: Shape<T>,
  value: unknown,
  keys: string[] = [],
): { instance: T; faults: ShapeFault[] } {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) {
    const faults = [
      {
        keys,
        message: `${keys.length > 0 ? `"${keys.at(-1)}"` : 'The file'} must contain ${knownKeys(shape).join(', ')}`,
        unknownKey: false,
      },
    ];
    return { instance: new shape(), faults };
  }
  const instance = new shape();
  const known = knownKeys(shape);
  for (const [key, entry] of Object.entries(value)) {
    // A key without a value, as where all below it was commented out, is as if it were not there.
    if (entry === null && known.includes(key)) continue;
    // As own properties, whatever their name: `__proto__` is one like others.
    Object.defineProperty(instance, key, {
      value: entry as unknown,
      enumerable: true,
      writable: true,
      configurable: true,
    });
  }
  const faults = validateSync(instance, {
    whitelist: true,
    forbidNonWhitelisted: true,
    forbidUnknownValues: false,
  }).flatMap((error) =>
    Object.entries(error.constraints ?? {}).map(([name, message]) => {
      const unknownKey = name === 'whitelistValidation';
      const missing = (value as Record<string, unknown>)[error.property] === undefined;
      return {
        keys: [...keys, error.property],
        message: unknownKey
          ? `"${error.property}" is unknown here`
          : missing
            ? `"${error.property}" is missing: it ${message}`
            : `"${error.property}" ${message}`,
        hint: unknownKey ? (renamedHint('descriptor', error.property) ?? suggestion(error.property, known)) : undefined,
        unknownKey,
      };
    }),
  );
  return { instance, faults };
}
