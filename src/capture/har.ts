import 'reflect-metadata';
import { readFileSync, statSync } from 'node:fs';
import { plainToInstance, Type } from 'class-transformer';
import {
  IsArray,
  IsInt,
  IsObject,
  IsOptional,
  IsString,
  ValidateNested,
  validateSync,
  type ValidationError,
} from 'class-validator';
import { finding, type Finding } from '../core/finding.js';
import { readOpening } from '../core/page/opening.js';
import type { PageIdForm } from '../core/page/page-id.js';
import { normalisePath, type PathOptions } from '../core/page/path.js';
import { ProblemError } from '../core/place.js';
import { decodePage, decodeStyle, readStart } from './decode.js';
import type { StyleText } from '../core/page/view.js';
import { hashOf } from './capture-store.js';
import { assembleSite, type CapturedPage, type SiteContent } from './site-content.js';

/** The parts of a HAR 1.2 recording that describe pages. */
class HarContent {
  @IsOptional() @IsString() mimeType?: string;
  @IsOptional() @IsString() text?: string;
  @IsOptional() @IsString() encoding?: string;
}
class HarHeader {
  @IsString() name!: string;
  @IsString() value!: string;
}
class HarResponse {
  @IsInt() status!: number;
  @IsOptional() @IsArray() @ValidateNested({ each: true }) @Type(() => HarHeader) headers?: HarHeader[];
  @IsObject() @ValidateNested() @Type(() => HarContent) content!: HarContent;
}
class HarRequest {
  @IsString() method!: string;
  @IsString() url!: string;
}
class HarEntry {
  @IsObject() @ValidateNested() @Type(() => HarRequest) request!: HarRequest;
  @IsObject() @ValidateNested() @Type(() => HarResponse) response!: HarResponse;
}
class HarLog {
  @IsArray() @ValidateNested({ each: true }) @Type(() => HarEntry) entries!: HarEntry[];
}
class HarFile {
  @IsObject() @ValidateNested() @Type(() => HarLog) log!: HarLog;
}

const mostBytes = 512 * 1024 * 1024;

const charsetOf = (mimeType: string) => /charset\s*=\s*"?([^\s;"]+)/i.exec(mimeType)?.[1];

const policyOf = ({ headers }: HarResponse) =>
  (headers ?? [])
    .filter(({ name }) => typeof name === 'string' && name.toLowerCase() === 'content-security-policy')
    .map(({ value }) => value)
    .join(', ') || null;

const firstFault = (errors: ValidationError[]): string => {
  const [error] = errors;
  if (!error) return '';
  const inner = firstFault(error.children ?? []);
  return inner
    ? `${error.property}.${inner}`
    : `${error.property}: ${Object.values(error.constraints ?? {})[0] ?? 'is missing'}`;
};

/** Reads the pages of a recording: every HTML answer of the host that its first page came from. Throws ProblemError. */
export function readHar(
  name: string,
  file: string,
  shown: string,
  options: PathOptions,
  forms: PageIdForm[] | null,
): SiteContent {
  const pages = new Map<string, { bytes: Uint8Array; charset?: string; policy: string | null }>();
  const files = new Map<string, Uint8Array>();
  const captured: CapturedPage[] = [];
  const findings: Finding[] = [];
  const styles = new Map<string, StyleText>();
  let origin: string | null = null;
  const { entries, skipped } = entriesOf(file, shown);
  if (skipped > 0)
    findings.push(
      finding(
        'missing-content',
        `${skipped} of ${entries.length + skipped} entries of ${shown} are incomplete and were skipped`,
        {
          hint: 'Record the visit again if a page is missing.',
        },
      ),
    );
  for (const { request, response } of entries) {
    const { content } = response;
    // Recorders write null for what they lack.
    const [mimeType, text, encoding] = [content.mimeType ?? '', content.text ?? undefined, content.encoding];
    if (request.method !== 'GET' || response.status !== 200 || !URL.canParse(request.url)) continue;
    const url = new URL(request.url);
    url.hash = '';
    if (!/^https?:$/.test(url.protocol)) continue;
    if (/^text\/css\b/i.test(mimeType) && text !== undefined) {
      const css = encoding === 'base64' ? decodeStyle(Buffer.from(text, 'base64'), charsetOf(mimeType)) : text;
      styles.set(url.href, {
        text: css,
        file: url.pathname + url.search,
        identity: hashOf(new TextEncoder().encode(css)),
      });
    }
    if (/^image\//i.test(mimeType) && text !== undefined)
      files.set(url.href, encoding === 'base64' ? Buffer.from(text, 'base64') : new TextEncoder().encode(text));
    if (!/html/i.test(mimeType)) continue;
    origin ??= url.origin;
    if (url.origin !== origin) continue;
    const path = normalisePath(url.href, options);
    if (text === undefined) {
      findings.push(
        finding('missing-content', `The recording ${shown} has no response body for ${url.href}`, {
          page: path,
          hint: 'Record the visit again, with response bodies.',
        }),
      );
      continue;
    }
    const bytes = encoding === 'base64' ? Buffer.from(text, 'base64') : new TextEncoder().encode(text);
    // A recording's text is decoded already; only bytes in base64 still have the character set of the answer.
    const charset = encoding === 'base64' ? charsetOf(mimeType) : 'utf-8';
    const other = pages.get(path);
    if (other && Buffer.compare(other.bytes, bytes) === 0) continue;
    if (!other) pages.set(path, { bytes, charset, policy: policyOf(response) });
    captured.push({
      path,
      url: url.href,
      file: url.href,
      opening: readOpening(decodePage(bytes, charset).html),
      identity: null,
    });
  }
  if (captured.length === 0) {
    throw new ProblemError(
      [
        {
          message: `The recording ${shown} has no HTML page with its response body`,
          hint: findings.length > 0 ? 'Record the visit again, with response bodies.' : 'Record a visit to the site.',
        },
      ],
      'access',
    );
  }
  const html = (path: string) => {
    const page = pages.get(path);
    return page ? decodePage(page.bytes, page.charset).html : '';
  };
  return assembleSite(name, captured, forms, findings, {
    html: (page) => html(page.path),
    style: (address) => styles.get(address) ?? null,
    file: (address) => files.get(address) ?? null,
    onDisk: () => null,
    policy: ({ path }) => pages.get(path)?.policy ?? null,
    markup: ({ path }) => {
      const page = pages.get(path);
      return readStart(page?.bytes ?? new Uint8Array(), page?.charset);
    },
    pathOptions: options,
  });
}

const faultsOf = (entry: HarEntry) => validateSync(entry, { forbidUnknownValues: false }).length;

function entriesOf(file: string, shown: string): { entries: HarEntry[]; skipped: number } {
  let text: string;
  try {
    const { size } = statSync(file);
    if (size > mostBytes) throw new Error(`it has ${size} bytes; at most ${mostBytes} are read`);
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw new ProblemError(
      [
        {
          message: `The recording ${shown} cannot be read: ${(error as Error).message.replace(/^ENOENT.*/, 'there is no such file')}`,
        },
      ],
      'access',
    );
  }
  let value: unknown;
  try {
    value = JSON.parse(text.replace(/^\ufeff/, ''));
  } catch (error) {
    throw new ProblemError([{ message: `The recording ${shown} is not JSON: ${(error as Error).message}` }], 'access');
  }
  const log = (value as { log?: unknown } | null)?.log;
  const entries = (log as { entries?: unknown } | null | undefined)?.entries;
  // A broken entry is set aside; the others still tell of their pages. Where all are broken, the first is reported.
  if (Array.isArray(entries)) {
    const isWhole = (each: unknown) =>
      typeof each === 'object' &&
      each !== null &&
      !Array.isArray(each) &&
      faultsOf(plainToInstance(HarEntry, each)) === 0;
    const whole = entries.filter(isWhole);
    if (whole.length > 0) (log as { entries: unknown[] }).entries = whole;
  }
  const har = plainToInstance(
    HarFile,
    Array.isArray(value) || typeof value !== 'object' || value === null ? {} : value,
  );
  const errors = validateSync(har, { forbidUnknownValues: false });
  if (errors.length > 0)
    throw new ProblemError(
      [{ message: `The recording ${shown} is not a HAR 1.2 file: ${firstFault(errors)}` }],
      'access',
    );
  const kept = har.log.entries;
  return { entries: kept, skipped: (Array.isArray(entries) ? entries.length : 0) - kept.length };
}
