import { z } from 'zod';
import { RehearsalFile } from '@nudrik/contract';

/** The JSON Schema of the rehearsal file, made from the Zod schema; docs/rehearsal-file.schema.json holds it. */
export function rehearsalSchema(): unknown {
  return {
    title: 'Nudrik rehearsal file',
    ...(z.toJSONSchema(RehearsalFile, { io: 'input', unrepresentable: 'any' }) as object),
  };
}
