import { startLanguageServer } from '../editor/server.js';
import { defineCommand, status } from './command.js';

export const command = defineCommand({
  examples: [['$0 language-server', 'an editor starts it and speaks to it']],
  async run({ project, site }) {
    await startLanguageServer(process.stdin, process.stdout, { project, site });
    return status.fine;
  },
});
