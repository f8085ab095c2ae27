import 'reflect-metadata';
import {
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsNumber,
  IsObject,
  IsOptional,
  IsString,
  IsUrl,
  Matches,
  Max,
  Min,
  ValidateBy,
  ValidateIf,
} from 'class-validator';
import { quotedText } from '../core/action/descriptors.js';
import { findingCodes } from '../core/finding.js';

const optional = IsOptional;
const text = (remedy: string) => IsString({ message: `must be text; ${remedy}` });

/** A list of paths or path patterns. */
const paths = () => (target: object, key: string) => {
  IsArray({ message: 'must be a list, such as ["/search?q=boat"]' })(target, key);
  IsString({ each: true, message: 'must contain paths only, such as ["/search?q=boat"]' })(target, key);
};

/** One entry of `sites`: pages come from exactly one of a folder, an address or a HAR recording. */
export class SiteSettings {
  @optional() @text('name the folder, such as ../public') folder?: string;
  @optional()
  @IsUrl(
    { protocols: ['http', 'https'], require_protocol: true, require_tld: false },
    { message: 'must be an address such as https://www.saltmere.example' },
  )
  @Matches(/^(?!https?:\/\/[^/?#]*@)/, {
    message: 'must not contain a user name or password; write headers: { authorization: "${NAME}" } beside it',
  })
  address?: string;
  @optional() @text('name the recording, such as notes/visit.har') har?: string;
  @optional()
  @Matches(/^\.\w+$/, { message: 'must be a file extension such as .html' })
  'drop-extension'?: string;
  @optional()
  @IsArray({ message: 'must be a list, such as [p]' })
  @IsString({ each: true, message: 'must contain names only, such as [p]' })
  'query-keys'?: string[];
  @optional() @text('such as /assets/local-needle.css') 'bundle-address'?: string;
  @optional() @IsObject({ message: 'must map names to values' }) headers?: Record<string, string>;
  @optional() @IsObject({ message: 'must map names to values' }) cookies?: Record<string, string>;
  @optional() @paths() follow?: string[];
  @optional() @paths() skip?: string[];
  @optional() @paths() 'also-capture'?: string[];
  @optional()
  @IsArray({ message: 'must be a list of hosts, such as [cdn.saltmere.internal]' })
  @IsString({ each: true, message: 'must contain hosts only, such as [cdn.saltmere.internal]' })
  'also-hosts'?: string[];
  @optional()
  @IsArray({ message: 'must be a list of statuses, such as [404]' })
  @IsInt({ each: true, message: 'must contain numbers only, such as [404]' })
  'accept-status'?: number[];
}

/** One form of page IDs. */
export class PageIdSettings {
  @IsIn(['body-id', 'body-class', 'body-attribute'], { message: 'must be body-id, body-class or body-attribute' }) in!:
    'body-id' | 'body-class' | 'body-attribute';
  @ValidateIf((form: PageIdSettings) => form.in === 'body-attribute' || form.attribute !== undefined)
  @IsString({ message: 'must name the attribute, such as data-page' })
  attribute?: string;
  @Matches(/\{id(:any)?\}/, { message: 'must be text with {id} in it, such as "page-{id}"' }) like!: string;
}

const isSize = Matches(/^[1-9]\d{1,4}x[1-9]\d{1,4}$/, {
  message: 'must be a width and a height in pixels, such as 1280x800',
});

/** One entry of `viewports` that says more than its size. */
export class ViewportSettings {
  @isSize size!: string;
  @optional() @IsBoolean({ message: 'must be true or false' }) touch?: boolean;
  @optional()
  @IsNumber({}, { message: 'must be device pixels to a CSS pixel, such as 2' })
  @Min(0.5, { message: 'must be at least 0.5' })
  @Max(8, { message: 'must be at most 8' })
  'pixel-ratio'?: number;
  @optional() @IsIn(['light', 'dark'], { message: 'must be light or dark' }) 'color-scheme'?: 'light' | 'dark';
  @optional() @IsIn(['more'], { message: 'must be more' }) contrast?: 'more';
  @optional() @IsIn(['reduce'], { message: 'must be reduce' }) motion?: 'reduce';
  @optional() @IsIn(['screen', 'print'], { message: 'must be screen or print' }) media?: 'screen' | 'print';
}

/** One entry of `states`: what is done to a captured page so that it looks as it does in that state. */
export class StateSettings {
  @optional()
  @IsObject({ message: 'must map selectors to the class they get, such as { .masthead: is-stuck }' })
  'add-class'?: Record<string, string>;
  @optional()
  @IsObject({ message: 'must map selectors to the class they lose, such as { .menu: is-shut }' })
  'remove-class'?: Record<string, string>;
  @optional()
  @IsObject({ message: 'must map selectors to a pseudo-class, such as { ".menu a": hover }' })
  'pseudo-class'?: Record<string, string>;
}

/** One entry of `visitors`: who asks. Values may name environment variables, as ${CREW_COOKIE}. */
export class VisitorSettings {
  @optional() @IsObject({ message: 'must map names to values' }) cookies?: Record<string, string>;
  @optional() @IsObject({ message: 'must map names to values' }) headers?: Record<string, string>;
  @optional()
  @IsString({ message: 'must be a selector that matches on every page of the visitor, such as .account-menu' })
  marker?: string;
}

/** One entry of `allow`: a finding about the site that is accepted. */
export class AllowSettings {
  @IsIn(Object.keys(findingCodes), { message: 'must be the code of a finding, such as uncaptured-stylesheet' })
  code!: string;
  @optional()
  @Matches(/^(\/|https?:\/\/)/, {
    message: 'must be a path, an address or a pattern, such as "https://fonts.example.org/*"',
  })
  at?: string;
  @IsString({ message: 'must say why' }) @IsNotEmpty({ message: 'must say why' }) reason!: string;
}

const isPatterns = ValidateBy(
  {
    name: 'isPatterns',
    validator: {
      validate: (value: unknown) =>
        (typeof value === 'string' ? [value] : Array.isArray(value) ? value : [0]).every(
          (each) => typeof each === 'string' && each !== '',
        ),
    },
  },
  { message: 'must be a file pattern such as rules/**/*.css, or a list of them' },
);

/** local-needle.yaml as parsed; the entries of `sites`, `states` and so on are validated one by one. */
export class Configuration {
  @IsIn([1], { message: "must be 1, the version of this file's form" }) version!: 1;
  @IsObject({ message: 'must map names to sites, such as live: { folder: public }' }) sites!: Record<
    string,
    SiteSettings
  >;
  @optional()
  @IsObject({ each: true, message: 'must be a form such as { in: body-class, like: "page-{id}" }, or a list of them' })
  'page-id'?: PageIdSettings | PageIdSettings[];
  @optional() @isPatterns rules?: string | string[];
  @optional() @text('name a folder, such as pages') 'page-files'?: string;
  @optional() @IsIn(['handles', 'run-time'], { message: 'must be handles or run-time' }) paths?: 'handles' | 'run-time';
  @optional() @IsIn(['copy', 'leave'], { message: 'must be copy or leave' }) files?: 'copy' | 'leave';
  @optional() @IsIn(['head-end', 'body-end'], { message: 'must be head-end or body-end' }) place?:
    'head-end' | 'body-end';
  @optional() @IsObject({ message: 'must map names to sizes, such as desktop: 1280x800' }) viewports?: Record<
    string,
    string | ViewportSettings
  >;
  @optional() @IsObject({ message: 'must map names to states' }) states?: Record<string, StateSettings>;
  @optional() @IsObject({ message: 'must map names to visitors' }) visitors?: Record<string, VisitorSettings>;
  @optional()
  @IsArray({ message: 'must be a list, such as [{ code: not-html, at: "/old/*", reason: "…" }]' })
  allow?: AllowSettings[];
}

const isName = Matches(/^[\w-]+$/, { message: 'must be a name of local-needle.yaml' });

/** The descriptors of a `@needle` block, as written. */
export class RuleDescriptors {
  @optional() @quotedText('write note: "Why this rule is there.";') note?: string;
  @optional() pages?: string;
  @optional() except?: string;
  @optional() @Matches(/^\d+$/, { message: 'must be a number of pages, such as 3' }) 'page-count'?: string;
  @optional() @IsIn(['yes', 'no'], { message: 'must be yes or no' }) important?: string;
  @optional() @isName state?: string;
  @optional() @isName visitor?: string;
  @optional() @isName viewport?: string;
  @optional() @IsIn(['script'], { message: 'must be script, or left out' }) 'added-by'?: string;
  @optional() @IsIn(['yes', 'no'], { message: 'must be yes or no' }) paused?: string;
  @optional()
  @ValidateBy(
    {
      name: 'isDay',
      validator: {
        validate: (value: string) =>
          /^\d{4}-\d\d-\d\d$/.test(value) && new Date(`${value}T00:00:00Z`).toISOString().startsWith(value),
      },
    },
    { message: 'must be a day such as 2027-03-31' },
  )
  until?: string;
  @optional()
  @Matches(/^[a-z-]+\s+("[^]*"|'[^]*')$/, {
    each: true,
    message: 'must be a finding and a reason, such as missing-element "Comes back in spring."',
  })
  allow?: string[];
}

/** The descriptors of `@keep-visible S { … }`. */
export class KeepVisibleDescriptors {
  @optional() @quotedText('write note: "Why it must stay visible.";') note?: string;
}

/** The descriptors of an `@expect` block. */
export class ExpectDescriptors {
  @optional() @quotedText('write note: "Why it is expected.";') note?: string;
  @optional() pages?: string;
  @optional() except?: string;
  @optional() @isName state?: string;
  @optional() @isName visitor?: string;
  @optional() @isName viewport?: string;
}
