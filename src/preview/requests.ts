import 'reflect-metadata';
import { plainToInstance } from 'class-transformer';
import { IsBoolean, IsIn, IsString, Matches, MaxLength, ValidateIf, validateSync } from 'class-validator';
import { mostPageText, type AddRequest, type Doing } from './protocol.js';

/** Asks to switch a rule, or all of them. */
export class SwitchRequest {
  @ValidateIf((asked: SwitchRequest) => asked.rule !== null) @IsString() rule!: string | null;
  @IsBoolean() on!: boolean;
}

/** Asks for selectors of an element: the page as it is, the element marked. */
export class PickRequest {
  @IsString() @MaxLength(4096) address!: string;
  @IsString() @MaxLength(mostPageText) html!: string;
}

/** Asks for a rule, to be tried or written. */
export class RuleRequest implements AddRequest {
  @IsIn(['hide', 'only-here', 'text', 'style']) doing!: Doing;
  @IsString() @MaxLength(2000) selector!: string;
  @IsString() @MaxLength(10_000) content!: string;
  @IsString() @MaxLength(2000) pages!: string;
  @Matches(/^[A-Za-z][\w-]{0,80}$/, { message: 'The name takes letters, digits and hyphens, a letter first' })
  name!: string;
  @IsString() @MaxLength(1000) note!: string;
  @IsBoolean() addedByScript!: boolean;
  @IsBoolean() write!: boolean;
  @IsBoolean() force!: boolean;
}

/** Validates a request's body: the value, or what is wrong with it. */
export function requestOf<T extends object>(shape: new () => T, body: unknown): T | string {
  if (typeof body !== 'object' || body === null || Array.isArray(body)) return 'This is not an object';
  const asked = plainToInstance(shape, body);
  const [error] = validateSync(asked, { whitelist: true, forbidNonWhitelisted: true });
  return error ? (Object.values(error.constraints ?? {})[0] ?? `"${error.property}" is wrong`) : asked;
}
