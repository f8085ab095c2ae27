import type { FastifyInstance, FastifyReply, FastifyRequest } from 'fastify';

/** Host names under which the server answers. */
const names = ['127.0.0.1', 'localhost'];

/** The origins of a port of this machine. */
export const originsOf = (port: number) => names.map((name) => `http://${name}:${port}`);

/**
 * Refuses requests that name another host: a page elsewhere could have its own name point to this machine (DNS rebinding).
 * What changes something must also come from one of `senders`.
 */
export function checkOrigin(app: FastifyInstance, senders: (() => string[]) | null): void {
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
    if (senders === null || request.method === 'GET' || request.method === 'HEAD') return undefined;
    if (!senders().includes(request.headers.origin ?? ''))
      return reply.code(403).type('text/plain; charset=utf-8').send('Only the preview itself may request this.\n');
    return undefined;
  });
}
