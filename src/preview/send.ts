import escapeHtml from 'escape-html';
import type { FastifyReply } from 'fastify';
import { withoutBuild } from '../core/css/cascade/page-sheets.js';

/** A stylesheet or script of the site, without what an earlier build wrote into it. */
export const sendText = (reply: FastifyReply, type: string, text: string): FastifyReply =>
  reply.header('cache-control', 'no-store').type(`${type}; charset=utf-8`).send(withoutBuild(text));

/** A page of the preview itself, where the site has none to show. */
export const note = (what: string, hint: string, overview?: string): string => `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(what)}</title>
<style>:root { color-scheme: light dark; } body { font: 16px/1.5 system-ui, sans-serif; max-width: 640px; margin: 15vh auto; padding: 0 24px; }</style></head>
<body><h1>${escapeHtml(what)}</h1><p>${escapeHtml(hint)}</p>${overview ? `<p><a href="${escapeHtml(overview)}/">All pages</a></p>` : ''}</body></html>
`;
