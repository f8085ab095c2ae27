import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';

/** Host names under which the server answers. */
const names = ['127.0.0.1', 'localhost'];

/** The origins of a port of this machine. */
export const originsOf = (port: number) => names.map((name) => `http://${name}:${port}`);

/**
 * Refuses requests that name another host: a page elsewhere could have its own name point to this machine (DNS rebinding).
 * What changes something must also come from one of `senders`; without `senders`, other websites may request nothing, but for
 * those at `friends`, which may link here.
 */
export function checkOrigin(
  app: FastifyInstance,
  senders: (() => string[]) | null,
  friends: () => string[] = () => [],
): void {
  app.addHook('onRequest', async (request: FastifyRequest, reply: FastifyReply) => {
    const { port } = app.server.address() as { port: number };
    const allowed = names.map((name) => `${name}:${port}`);
    if (!allowed.includes(request.headers.host ?? ''))
      return reply
        .code(403)
        .type('text/plain; charset=utf-8')
        .send(
          `This preview only answers requests to ${allowed[0]}, not to ${JSON.stringify(request.headers.host ?? '')}.\n`,
        );
    if (senders === null && isForeign(request, [...originsOf(port), ...friends()]))
      return reply
        .code(403)
        .type('text/plain; charset=utf-8')
        .send('Only pages of this preview may request this. Type the address instead of following a link to it.\n');
    if (senders === null || request.method === 'GET' || request.method === 'HEAD') return undefined;
    if (!senders().includes(request.headers.origin ?? ''))
      return reply.code(403).type('text/plain; charset=utf-8').send('Only the preview itself may request this.\n');
    return undefined;
  });
}

/**
 * Whether a page of another origin made a browser send this request (Fetch Metadata: Sec-Fetch-Site; else Origin and
 * Referer). `own`: origins of the pages, and of the overview, on another
 * port of this machine.
 */
function isForeign({ method, headers }: FastifyRequest, own: string[]): boolean {
  const { origin, referer } = headers;
  const sent = [origin, referer].filter((each) => each !== undefined);
  const comesFrom = (text: string) => (URL.canParse(text) ? new URL(text).origin : text);
  const isOwn = sent.every((text) => own.includes(comesFrom(text)));
  switch (headers['sec-fetch-site']) {
    case 'same-origin':
    case 'none':
      return false;
    case 'same-site':
      // Another server of this machine, unless it is the overview that links here.
      return !isOwn || sent.length === 0 || (method !== 'GET' && method !== 'HEAD');
    case undefined:
      return !isOwn;
    default:
      return true;
  }
}
