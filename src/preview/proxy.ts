import { buffer } from 'node:stream/consumers';
import { PassThrough, pipeline, type Readable } from 'node:stream';
import { createBrotliDecompress, createGunzip, createInflate } from 'node:zlib';
import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';
import { anyBegin } from '../core/page/build-comments.js';
import { relaxed, type Allowed } from './relax-policy.js';
import { note, sendText } from './send.js';

/** The running site behind the preview. */
export interface Upstream {
  /** `https://www.saltmere.example`. */
  origin: string;
  /** Every page comes from it, and every form goes to it; else only what was not captured comes from it. */
  live: boolean;
  /** Headers of the visitor as whom the pages are looked at now. Throws ProblemError if a variable is not set. */
  headers: () => Record<string, string>;
  timeoutMs: number;
  decode: (bytes: Uint8Array, charset: string | undefined) => string;
  reason: (error: unknown) => string;
}

export interface PassOptions {
  show: (request: FastifyRequest, html: string, policy: string | null, captured: null) => string;
  allowed: (request: FastifyRequest) => Allowed;
  panel: () => string;
  log: (text: string) => void;
}

/** Maximum size of a page or stylesheet of the site, in bytes. */
const mostBytes = 16 * 1024 * 1024;

/** Headers that are meant for the live site's own address. */
const leftOut = [
  'strict-transport-security',
  'content-security-policy-report-only',
  'content-length',
  'x-frame-options',
  'report-to',
  'reporting-endpoints',
  'nel',
  'alt-svc',
];

const first = (value: string | string[] | undefined) => (Array.isArray(value) ? value.join(', ') : value);

/** Has requests answered by the running site: pages injected for the preview, all else as it comes. */
export async function passThrough(
  app: FastifyInstance,
  { origin, headers, timeoutMs, decode, reason }: Upstream,
  { show, allowed, panel, log }: PassOptions,
): Promise<(request: FastifyRequest, reply: FastifyReply) => FastifyReply> {
  // Loading it would take a sixth of the time until a preview of a folder is ready.
  const { default: replyFrom } = await import('@fastify/reply-from');
  await app.register(replyFrom, {
    base: origin,
    disableRequestLogging: true,
    destroyAgent: true,
    undici: { headersTimeout: timeoutMs, bodyTimeout: timeoutMs, connect: { timeout: timeoutMs } },
  });
  const policies = new WeakMap<FastifyRequest, string>();
  let told = '';
  const fail = (reply: FastifyReply, error: unknown) => {
    const why = reason(error);
    // If the site is down, not every failing picture is reported.
    if (why !== told || reply.request.headers['sec-fetch-dest'] !== 'image')
      log(`${origin}${reply.request.raw.url} could not be loaded: ${why}`);
    told = why;
    const slow = why.includes('answer');
    const hint = `${slow ? 'Is it busy? Use a longer --timeout.' : 'Is it running?'} Reload this page when the site responds.`;
    return reply
      .code(slow ? 504 : 502)
      .type('text/html; charset=utf-8')
      .send(note(`${origin} could not be loaded: ${why}`, hint, panel()));
  };
  return (request, reply) =>
    reply.from(request.raw.url ?? '/', {
      retryDelay: () => null,
      rewriteRequestHeaders: (asked, given) => {
        const here = `http://${asked.headers.host}`;
        const own = headers();
        const sent: typeof given = { ...given, ...own, 'accept-encoding': 'identity' };
        const cookies = [asked.headers.cookie, own['cookie']].filter((each) => each);
        if (cookies.length > 0) sent['cookie'] = cookies.join('; ');
        for (const name of ['origin', 'referer'] as const)
          if (asked.headers[name]?.startsWith(`${here}/`) || asked.headers[name] === here)
            sent[name] = origin + asked.headers[name].slice(here.length);
          else delete sent[name];
        return sent;
      },
      rewriteHeaders: (given) => {
        const kept = Object.fromEntries(Object.entries(given).filter(([name]) => !leftOut.includes(name)));
        const policy = first(given['content-security-policy']);
        if (policy !== undefined) {
          policies.set(request, policy);
          kept['content-security-policy'] = relaxed(policy, allowed(request));
        }
        // Frames of the preview itself are let in; a page that forbade all frames forbids those of others.
        else if (given['x-frame-options'] !== undefined)
          kept['content-security-policy'] = `frame-ancestors ${allowed(request).panel}`;
        const location = first(given['location']);
        if (location?.startsWith(`${origin}/`)) kept['location'] = location.slice(origin.length);
        const cookies = given['set-cookie'];
        if (cookies) kept['set-cookie'] = [cookies].flat().map(cookieHere);
        return kept;
      },
      onResponse: (_request, _reply, response) => {
        const stream = (response as unknown as { stream: Readable }).stream;
        const type = String(reply.getHeader('content-type') ?? '');
        const bare = /^\s*([^;\s]*)/.exec(type)?.[1]?.toLowerCase() ?? '';
        const isText = /^(text\/(html|css|javascript)|application\/(xhtml\+xml|javascript))$/.test(bare);
        if (request.method === 'HEAD' || !isText || reply.statusCode === 304) return void reply.send(stream);
        const charset = /charset="?([^";\s]+)/i.exec(type)?.[1];
        readWhole(stream, String(reply.getHeader('content-encoding') ?? ''))
          .then((bytes) => {
            reply.removeHeader('content-encoding');
            if (/html/.test(bare)) {
              const html = show(request, decode(bytes, charset), policies.get(request) ?? null, null);
              return reply.header('cache-control', 'no-store').type(`${bare}; charset=utf-8`).send(html);
            }
            return bytes.includes(anyBegin) ? sendText(reply, bare, decode(bytes, charset)) : reply.send(bytes);
          })
          .catch((error: unknown) => fail(reply, error));
        return undefined;
      },
      onError: (_reply, { error }) => void fail(reply, (error as Error).cause ?? error),
    });
}

/** A cookie that a browser keeps for this machine: not bound to the live host, nor to https. */
const cookieHere = (cookie: string) =>
  /^__(Host|Secure)-/.test(cookie)
    ? cookie.replace(/;\s*domain=[^;]*/i, '')
    : cookie.replace(/;\s*(domain=[^;]*|secure|samesite=none)(?=;|$)/gi, '');

/** A body read whole and decompressed; it fails where it is too large. */
async function readWhole(stream: Readable, encoding: string): Promise<Buffer> {
  const decompress = { gzip: createGunzip, br: createBrotliDecompress, deflate: createInflate }[encoding];
  let size = 0;
  const limited = new PassThrough({
    transform(part: Buffer, _encoding, done) {
      size += part.length;
      done(size > mostBytes ? new Error(`it is larger than ${mostBytes / 1024 / 1024} MB`) : null, part);
    },
  });
  pipeline(decompress ? [stream, decompress(), limited] : [stream, limited], () => undefined);
  return buffer(limited);
}
