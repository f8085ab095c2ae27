import { configurationSchema, cssCustomData } from '../project/schema.js';
import { status, type Command, type CommonArguments } from './command.js';

interface SchemaArguments extends CommonArguments {
  css: boolean;
}

export const command: Command<SchemaArguments> = {
  options: { css: { type: 'boolean', default: false, describe: 'Print the custom data for CSS editors instead' } },
  formats: ['json'],
  examples: [['$0 schema > local-needle.schema.json', 'the JSON Schema of local-needle.yaml']],
  async run(args, { out }) {
    out(JSON.stringify(args.css ? cssCustomData() : configurationSchema(), null, 2));
    return status.fine;
  },
};
