import 'reflect-metadata';
import { plainToInstance, Type } from 'class-transformer';
import {
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  Matches,
  MaxLength,
  Min,
  ValidateIf,
  ValidateNested,
  validateSync,
} from 'class-validator';
import {
  mostPageText,
  type AddRequest,
  type Doing,
  type DraftRequest as DraftWords,
  type LookRequest,
  type RuleChange,
} from './protocol.js';

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

const ruleName = /^[A-Za-z][\w-]{0,80}$/;

/** A rule as the form describes it. */
export class RuleRequest implements AddRequest {
  @IsIn(['hide', 'only-here', 'style', 'text', 'image']) doing!: Doing;
  @IsString() @MaxLength(2000) selector!: string;
  @IsString() @MaxLength(10_000) content!: string;
  @IsString() @MaxLength(2000) pages!: string;
  @Matches(ruleName, { message: 'The name takes letters, digits and hyphens, a letter first' })
  name!: string;
  @IsString() @MaxLength(1000) note!: string;
  @IsBoolean() important!: boolean;
  @IsBoolean() addedByScript!: boolean;
  @ValidateIf((asked: RuleRequest) => asked.state !== null) @Matches(/^[\w-]{1,80}$/) state!: string | null;
  @ValidateIf((asked: RuleRequest) => asked.visitor !== null) @Matches(/^[\w-]{1,80}$/) visitor!: string | null;
}

/** Another text of a rule. */
export class EditRequest {
  @Matches(ruleName) name!: string;
  @IsString() @MaxLength(100_000) text!: string;
}

/** Asks for a draft to be shown, or written. */
export class DraftRequest implements DraftWords {
  @IsOptional() @ValidateNested() @Type(() => RuleRequest) rule?: RuleRequest;
  @IsOptional() @ValidateNested() @Type(() => EditRequest) edit?: EditRequest;
}

/** Asks for a change of a rule in its file. */
export class ChangeRequest {
  @Matches(ruleName) name!: string;
  @IsIn(['pause', 'resume', 'delete']) what!: RuleChange;
}

/** Asks for the fixes of what was found of a rule on a page. */
export class FixesRequest {
  @Matches(ruleName) rule!: string;
  @IsString() @MaxLength(4096) page!: string;
}

/** Asks for a rule's file to be opened in an editor. */
export class OpenRequest {
  @Matches(ruleName) rule!: string;
}

/** Asks for a fix to be written. */
export class ApplyRequest {
  @IsInt() @Min(0) number!: number;
}

/** Asks for the pages to be looked at in another way. */
export class LookChoice implements LookRequest {
  @IsString() @MaxLength(200) viewport!: string;
  @ValidateIf((asked: LookChoice) => asked.state !== null) @IsString() @MaxLength(200) state!: string | null;
  @ValidateIf((asked: LookChoice) => asked.visitor !== null) @IsString() @MaxLength(200) visitor!: string | null;
  @ValidateIf((asked: LookChoice) => asked.colorScheme !== null) @IsIn(['light', 'dark']) colorScheme!:
    'light' | 'dark' | null;
  @IsBoolean() print!: boolean;
}

/** Asks how often a selector matches. */
export class CountRequest {
  @IsString() @MaxLength(4096) address!: string;
  @IsString() @MaxLength(2000) selector!: string;
}

/** Validates a request's body: the value, or what is wrong with it. */
export function requestOf<T extends object>(shape: new () => T, body: unknown): T | string {
  if (typeof body !== 'object' || body === null || Array.isArray(body)) return 'This is not an object';
  const asked = plainToInstance(shape, body);
  const [outer] = validateSync(asked, { whitelist: true, forbidNonWhitelisted: true });
  const error = outer?.children?.[0] ?? outer;
  return error ? (Object.values(error.constraints ?? {})[0] ?? `"${error.property}" is wrong`) : asked;
}
