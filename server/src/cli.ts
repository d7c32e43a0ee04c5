import { readFileSync } from 'node:fs';

const USAGE = `nudrik: the command line of Nudrik

  nudrik rehearse FILE   play a rehearsal file (- for standard input), one JSON line for each notice
  nudrik schema          print the JSON Schema of the rehearsal file
`;

/** @returns the exit code: 0 done, 2 refused */
async function main(args: string[]): Promise<number> {
  const [command, file] = args;
  if (command === 'rehearse') {
    if (!file) return refuse('nudrik rehearse: expected a file, or - for standard input.');
    let text: string;
    try {
      text = readFileSync(file === '-' ? 0 : file, 'utf8');
    } catch (error) {
      return refuse(`nudrik rehearse: ${file} cannot be read: ${(error as Error).message}`);
    }
    const { rehearseText } = await import('./plans/rehearse-file.ts');
    const result = rehearseText(text);
    if ('refusals' in result) return refuse(result.refusals.map((line) => `nudrik rehearse: ${line}`).join('\n'));
    for (const line of result.warnings) process.stderr.write(`nudrik rehearse: ${line}\n`);
    await print(result.lines.map((line) => `${line}\n`).join(''));
    return 0;
  }
  if (command === 'schema') {
    const { rehearsalSchema } = await import('./plans/rehearsal-schema.ts');
    await print(`${JSON.stringify(rehearsalSchema(), null, 2)}\n`);
    return 0;
  }
  if (command === undefined || command === 'help' || command === '--help') {
    await print(USAGE);
    return 0;
  }
  return refuse(`nudrik: there is no command "${command}".\n\n${USAGE}`);
}

function refuse(words: string): number {
  process.stderr.write(`${words}\n`);
  return 2;
}

const print = (text: string): Promise<void> => new Promise((done) => void process.stdout.write(text, () => done()));

process.exitCode = await main(process.argv.slice(2));
