import { configurationSchema, cssCustomData } from '../project/schema.js';
import { defineCommand, type ArgumentsOf, status } from './command.js';

const options = {
  css: { type: 'boolean', default: false, describe: 'Print custom data for CSS editors instead' },
} as const;

type SchemaArguments = ArgumentsOf<Record<never, never>, typeof options>;

export const command = defineCommand<SchemaArguments>({
  options,
  formats: ['json'],
  examples: [['$0 schema > local-needle.schema.json', 'the JSON Schema of local-needle.yaml']],
  async run(args, { out }) {
    out(JSON.stringify(args.css ? cssCustomData() : configurationSchema(), null, 2));
    return status.fine;
  },
});
