import 'reflect-metadata';
import { IsArray, IsInt, IsObject, IsOptional, IsString, Matches, Min, validateSync } from 'class-validator';

/** One captured page, a line of the index. */
export class StoredPage {
  @IsString() path!: string;
  @IsString() url!: string;
  /** Below the capture's folder; never leaves it. */
  @Matches(/^pages\/(?!.*\.\.\/)[\w.~%/-]+$/) file!: string;
  @IsInt() @Min(0) bytes!: number;
  @Matches(/^[0-9a-f]{16}$/) hash!: string;
  @IsString() title!: string;
  /** The attributes of `body`. */
  @IsObject() body!: Record<string, string>;
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
  @IsString() url!: string;
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
  const value = JSON.parse(line) as Record<string, unknown>;
  const [kind = ''] = Object.keys(value);
  const shapes: Record<string, new () => object> = { page: StoredPage, style: StoredStyle, notCaptured: NotCaptured };
  const shape = Object.hasOwn(shapes, kind) ? shapes[kind] : undefined;
  if (!shape || typeof value[kind] !== 'object') throw new Error('it is not an entry of a capture');
  const instance = Object.assign(new shape(), value[kind]);
  const [fault] = validateSync(instance, { forbidUnknownValues: false });
  if (fault) throw new Error(Object.values(fault.constraints ?? {})[0] ?? 'it is not an entry of a capture');
  return { [kind]: instance } as unknown as Entry;
}
