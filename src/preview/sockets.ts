import type { IncomingMessage } from 'node:http';
import type { Socket } from 'node:net';
import type { FastifyInstance } from 'fastify';
import { createProxyServer } from 'httpxy';
import { originsOf } from './origin-check.js';
import type { Upstream } from './proxy.js';

/**
 * Passes WebSockets of the pages on to the running site, as its visitor. Only the pages themselves may open them: browsers let any
 * website connect anywhere, and send cookies along.
 */
export function passSockets(
  app: FastifyInstance,
  { origin, headers, reason }: Pick<Upstream, 'origin' | 'headers' | 'reason'>,
  log: (text: string) => void,
): void {
  const proxy = createProxyServer({ target: origin, changeOrigin: true });
  const open = new Set<Socket>();
  app.server.on('upgrade', (request: IncomingMessage, socket: Socket, head: Buffer) => {
    const own = originsOf((app.server.address() as { port: number }).port);
    const { host, origin: from = '', cookie } = request.headers;
    if (!own.includes(`http://${host}`) || !own.includes(from))
      return void socket.end('HTTP/1.1 403 Forbidden\r\nConnection: close\r\n\r\n');
    open.add(socket);
    socket.on('close', () => open.delete(socket));
    const failed = (error: unknown) => {
      log(`${origin}${request.url} could not be connected: ${reason(error)}`);
      socket.destroy();
    };
    try {
      const added = headers();
      const cookies = [cookie, added['cookie']].filter((each) => each);
      const sent = { ...added, origin, ...(cookies.length > 0 ? { cookie: cookies.join('; ') } : {}) };
      proxy.ws(request, socket, { headers: sent }, head).catch(failed);
    } catch (error) {
      failed(error);
    }
  });
  app.addHook('onClose', () => {
    for (const socket of open) socket.destroy();
  });
}
