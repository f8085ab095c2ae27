/** How requests are made; each has a limit. */
export interface FetchOptions {
  /** The headers for an address, called for redirects too: a visitor's headers must not reach another host. */
  headers: (url: URL) => Record<string, string>;
  /** Why an address must not be asked; null if it may. Called for redirects too. */
  refuses?: (url: URL) => Promise<string | null>;
  /** Time limit of one attempt. */
  timeoutMs: number;
  /** Of the body after decompression. */
  mostBytes: number;
  /** Attempts after the first, for network errors, 429 and 5xx. */
  retries: number;
  /** Before the first retry; doubled each time. `Retry-After` counts if it is longer. */
  backOffMs: number;
}

export const defaultFetchOptions: Omit<FetchOptions, 'headers'> = {
  timeoutMs: 30_000,
  mostBytes: 16 * 1024 * 1024,
  retries: 3,
  backOffMs: 500,
};

/** A response, after redirects. */
export interface Fetched {
  /** The address that answered. */
  url: string;
  status: number;
  headers: Headers;
  body: Uint8Array;
}

/** The request failed; the message says why. */
export class FetchFailure extends Error {
  constructor(
    message: string,
    /** The target of a redirect that was not followed. */
    readonly leadsTo?: string,
  ) {
    super(message);
  }
}

const mostRedirects = 10;
const longestWaitMs = 30_000;

/**
 * Fetches an address. Redirects are followed where `follow` allows the next address. Throws FetchFailure if there is no
 * response: the host is unreachable, the body is too large, or a redirect is not allowed or one too many. A status of
 * 400 and above after the retries is a response, not a failure.
 */
export async function fetchPolitely(
  address: string,
  options: FetchOptions,
  follow: (next: URL) => boolean,
  wanted: (headers: Headers) => boolean = () => true,
): Promise<Fetched> {
  let url = new URL(address);
  const seen = new Set<string>();
  for (;;) {
    const refusal = await options.refuses?.(url);
    if (refusal) throw new FetchFailure(refusal);
    const answer = await fetchWithRetries(url, options, wanted);
    const location = answer.headers.get('location');
    if (answer.status < 300 || answer.status >= 400 || answer.status === 304 || !location)
      return { ...answer, url: url.href };
    let next: URL;
    try {
      next = new URL(location, url);
    } catch {
      throw new FetchFailure(`it redirects to "${location.slice(0, 200)}", which is not a valid address`);
    }
    seen.add(url.href);
    if (seen.has(next.href)) throw new FetchFailure('its redirects form a loop');
    if (seen.size > mostRedirects) throw new FetchFailure(`it redirects more than ${mostRedirects} times`);
    if (!follow(next))
      throw new FetchFailure(`it redirects to ${next.href.slice(0, 200)}, which is not followed`, next.href);
    url = next;
  }
}

async function fetchWithRetries(
  url: URL,
  options: FetchOptions,
  wanted: (headers: Headers) => boolean,
): Promise<Omit<Fetched, 'url'>> {
  for (let attempt = 0; ; attempt++) {
    const last = attempt >= options.retries;
    let wait = options.backOffMs * 2 ** attempt;
    try {
      const answer = await fetchOnce(url, options, wanted);
      if (last || (answer.status !== 429 && answer.status < 500)) return answer;
      wait = Math.max(wait, retryAfterMs(answer.headers.get('retry-after')));
    } catch (error) {
      if (last || error instanceof FetchFailure || !mayRecover(error))
        throw error instanceof FetchFailure ? error : new FetchFailure(networkReason(error));
    }
    await new Promise((resolve) => setTimeout(resolve, Math.min(wait, longestWaitMs)));
  }
}

async function fetchOnce(
  url: URL,
  { headers, timeoutMs, mostBytes }: FetchOptions,
  wanted: (headers: Headers) => boolean,
): Promise<Omit<Fetched, 'url'>> {
  const abort = new AbortController();
  const timer = setTimeout(
    () => abort.abort(new FetchFailure(`it did not answer within ${timeoutMs / 1000} s`)),
    timeoutMs,
  );
  try {
    const response = await fetch(url, { headers: headers(url), redirect: 'manual', signal: abort.signal });
    if (response.status === 200 && !wanted(response.headers)) {
      abort.abort();
      return { status: response.status, headers: response.headers, body: new Uint8Array() };
    }
    return { status: response.status, headers: response.headers, body: await limitedBody(response, mostBytes, abort) };
  } catch (error) {
    throw abort.signal.aborted && abort.signal.reason instanceof FetchFailure ? abort.signal.reason : error;
  } finally {
    clearTimeout(timer);
  }
}

async function limitedBody(response: Response, mostBytes: number, abort: AbortController): Promise<Uint8Array> {
  const parts: Uint8Array[] = [];
  let size = 0;
  for await (const part of response.body ?? []) {
    parts.push(part as Uint8Array);
    size += (part as Uint8Array).length;
    if (size > mostBytes) {
      abort.abort();
      throw new FetchFailure(`it is larger than ${Math.floor(mostBytes / 1024 / 1024)} MB`);
    }
  }
  return Buffer.concat(parts);
}

/** `Retry-After` in milliseconds: seconds or a date (RFC 9110, 10.2.3). */
function retryAfterMs(value: string | null): number {
  if (!value) return 0;
  const seconds = /^\d+$/.test(value) ? Number(value) * 1000 : Date.parse(value) - Date.now();
  return Number.isFinite(seconds) ? Math.max(0, seconds) : 0;
}

const codeOf = (error: unknown) =>
  String(((error as Error).cause as { code?: string } | undefined)?.code ?? (error as { code?: string }).code ?? '');

/** Whether trying again could help: not where the name or the certificate is wrong. */
const mayRecover = (error: unknown) =>
  !/^(ENOTFOUND|ECONNREFUSED|CERT_|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO_|ERR_TLS|ERR_SSL|EPROTO|ERR_INVALID)/.test(
    codeOf(error),
  );

/** Why a request failed, in words. */
export function networkReason(error: unknown): string {
  const code = codeOf(error);
  const words: [RegExp, string][] = [
    [/^ECONNREFUSED/, 'nothing listens there (connection refused)'],
    [/^(ENOTFOUND|EAI_AGAIN)/, 'the host is not known'],
    [/^(ECONNRESET|UND_ERR_SOCKET)/, 'the connection was closed early'],
    [/^(ETIMEDOUT|UND_ERR_CONNECT_TIMEOUT)/, 'the host does not answer'],
    [/^UND_ERR_(HEADERS|BODY)_TIMEOUT/, 'it did not answer in time'],
    [/^(CERT_|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO_|ERR_TLS)/, 'its TLS certificate is not valid'],
    [/^(ERR_SSL|EPROTO)/, 'it does not speak TLS'],
  ];
  const known = words.find(([pattern]) => pattern.test(code));
  if (known) return `${known[1]}${/TLS/.test(known[1]) ? ` (${code})` : ''}`;
  const { message, cause } = error as Error;
  return `${cause instanceof Error ? cause.message : message}${code ? ` (${code})` : ''}`;
}
