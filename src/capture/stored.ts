import 'reflect-metadata';
import {
  Equals,
  IsArray,
  IsBoolean,
  IsInt,
  IsObject,
  IsOptional,
  IsString,
  Matches,
  Min,
  Validate,
  validateSync,
  ValidatorConstraint,
} from 'class-validator';

@ValidatorConstraint()
class IsAddress {
  validate = (value: unknown) => typeof value === 'string' && URL.canParse(value);
  defaultMessage = () => '$property must be an address';
}

@ValidatorConstraint()
class HasTexts {
  validate = (value: object) => Object.values(value ?? {}).every((each) => typeof each === 'string');
  defaultMessage = () => '$property must map names to texts';
}

/** The first line of a capture's index: the run that made it. */
export class CaptureHeader {
  @Equals(1, { message: 'it was written by another version' }) capture!: 1;
  @IsString() site!: string;
  @IsOptional() @IsString() visitor!: string | null;
  @Validate(IsAddress) address!: string;
  @IsBoolean() rendered!: boolean;
  /** The day of the run, `2026-11-25`; missing in captures of before. */
  @IsOptional() @Matches(/^\d{4}-\d{2}-\d{2}$/) day?: string;
}

/** One captured page, a line of the index. */
export class StoredPage {
  @Matches(/^\//) path!: string;
  @Validate(IsAddress) url!: string;
  /** Below the capture's folder; never leaves it. */
  @Matches(/^pages\/(?!.*\.\.\/)[\w.~%/-]+$/) file!: string;
  @IsInt() @Min(0) bytes!: number;
  @Matches(/^[0-9a-f]{16}$/) hash!: string;
  @IsString() title!: string;
  /** The attributes of `body`. */
  @IsObject() @Validate(HasTexts) body!: Record<string, string>;
  /** The character set that the Content-Type header named. */
  @IsOptional() @IsString() charset?: string;
  @IsOptional() @IsString() etag?: string;
  @IsOptional() @IsString() modified?: string;
  @IsOptional() @IsString() csp?: string;
  /** Addresses of the stylesheets that it links, in the order of the source. */
  @IsArray() @IsString({ each: true }) styles!: string[];
}

/** One captured stylesheet. */
export class StoredStyle {
  @Validate(IsAddress) url!: string;
  @Matches(/^styles\/(?!.*\.\.\/)[\w.~%/-]+$/) file!: string;
  @IsInt() @Min(0) bytes!: number;
  @Matches(/^[0-9a-f]{16}$/) hash!: string;
  @IsOptional() @IsString() charset?: string;
  @IsArray() @IsString({ each: true }) imports!: string[];
}

/** An address that could not be captured. */
export class NotCaptured {
  @IsString() url!: string;
  @IsString() reason!: string;
}

/** A line of the index or of the journal. */
export type Entry = { page: StoredPage } | { style: StoredStyle } | { notCaptured: NotCaptured };

/** Reads one line. Throws Error with the reason if it is not an entry. */
export function readEntry(line: string): Entry {
  const value = (JSON.parse(line) ?? {}) as Record<string, unknown>;
  const [kind = ''] = Object.keys(value);
  const shapes: Record<string, new () => object> = { page: StoredPage, style: StoredStyle, notCaptured: NotCaptured };
  const shape = Object.hasOwn(shapes, kind) ? shapes[kind] : undefined;
  if (!shape || typeof value[kind] !== 'object' || value[kind] === null)
    throw new Error('it is not an entry of a capture');
  return { [kind]: valid(new shape(), value[kind]) } as unknown as Entry;
}

/** Reads the first line. Throws Error with the reason if it is none. */
export const readHeader = (line: string): CaptureHeader => valid(new CaptureHeader(), JSON.parse(line));

/** Fills an empty object of a class. Throws Error with what is wrong. */
function valid<T extends object>(empty: T, value: unknown): T {
  const instance = Object.assign(empty, value);
  const [fault] = validateSync(instance, { forbidUnknownValues: false });
  if (fault) throw new Error(Object.values(fault.constraints ?? {})[0] ?? 'it is not an entry of a capture');
  return instance;
}
