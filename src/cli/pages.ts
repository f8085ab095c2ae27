import { pagesReport, pagesText } from '../report/pages.js';
import { styleFor } from '../report/text.js';
import { status, type Command } from './command.js';
import { openPages } from './open.js';

export const command: Command = {
  formats: ['text', 'json'],
  examples: [['$0 pages --site staging', 'the pages of the staging copy with their handles']],
  async run(args, { out }) {
    const { content } = openPages(args);
    out(
      args.format === 'json'
        ? JSON.stringify(pagesReport(content.site), null, 2)
        : pagesText(content.site, content.found, styleFor(process.stdout, process.env)),
    );
    return status.fine;
  },
};
