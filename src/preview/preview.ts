import type { FastifyInstance } from 'fastify';
import { ProblemError } from '../core/place.js';
import { serveUi, type UiOptions } from './ui-server.js';
import { servePages, type PagesOptions } from './pages.js';
import type { PreviewSession } from './session.js';

export interface PreviewOptions
  extends Omit<PagesOptions, 'panel'>, Omit<UiOptions, 'seen' | 'pagesPort' | 'barePort'> {
  session: PreviewSession;
  /** Of the pages; the overview has the next one. 0: any two that are free. */
  port: number;
}

/** A preview that runs. */
export interface Preview {
  pages: string;
  overview: string;
  close: () => Promise<void>;
}

const host = '127.0.0.1';
const portOf = ({ server }: FastifyInstance) => (server.address() as { port: number }).port;

/** Serves the pages and, on an origin of its own, the overview. Throws ProblemError if a port is taken. */
export async function startPreview(options: PreviewOptions): Promise<Preview> {
  const { session, port } = options;
  const ports = { pages: 0, overview: 0, bare: 0 };
  const panel = (name = host) => `http://${name}:${ports.overview}`;
  const { app, seen } = await servePages({ ...options, panel });
  // The pages without the rules, at an address of their own: what is theirs in a browser is the same.
  const { app: bare } = await servePages({ ...options, panel, isBare: true });
  const ui = serveUi({ ...options, seen, pagesPort: () => ports.pages, barePort: () => ports.bare });
  const close = async () => {
    session.close();
    await Promise.all([app.close(), ui.close(), bare.close()]);
  };
  try {
    await listen(app, port);
    ports.pages = portOf(app);
    await listen(ui, port === 0 ? 0 : port + 1);
    ports.overview = portOf(ui);
    await listen(bare, 0);
    ports.bare = portOf(bare);
  } catch (error) {
    await close();
    throw error;
  }
  session.start();
  return { pages: `http://${host}:${ports.pages}/`, overview: `http://${host}:${ports.overview}/`, close };
}

async function listen(app: FastifyInstance, port: number): Promise<void> {
  try {
    await app.listen({ host, port });
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code !== 'EADDRINUSE' && code !== 'EACCES') throw error;
    const why = code === 'EADDRINUSE' ? 'is in use by another program' : 'may not be used';
    throw new ProblemError(
      [
        {
          message: `Port ${port} of ${host} ${why}`,
          hint: `Choose another: --port ${port + 20}, or --port 0 for any.`,
        },
      ],
      'access',
    );
  }
}
