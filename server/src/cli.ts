import { existsSync, readFileSync } from 'node:fs';
import type { PlanFile } from '@nudrik/contract';

const USAGE = `nudrik: the command line of Nudrik

  nudrik rehearse FILE   play a rehearsal file (- for standard input), one JSON line for each notice
  nudrik rehearse FILE PLAN
                         the same with the steps of a plan's own file in place of those of the rehearsal file
  nudrik plan check FILE …
                         look plans over as files: 1 where something is wrong with one, or is to be known of it
  nudrik plan diff A B   what of two plans is otherwise, in words; 1 where something is to be known of B
  nudrik schema          print the JSON Schema of the rehearsal file; nudrik schema plan: of a plan's file
  nudrik setup …         settings, sites and the first administrator of a real installation:
                         --organisation NAME --zone ZONE --place PLACE --sender ADDRESS --reply-to ADDRESS
                         --admin ADDRESS --site "NAME=ZONE" (again for each site); NUDRIK_PASSWORD and DATABASE_URL set
  nudrik new-key         takes the key that is set now (NUDRIK_KEY or its file) for this house, where the former one is lost:
                         personal links that were sent end, second factors are set up anew
  nudrik verify [DAY HEAD]
                         holds what was written (events, messages, answers, certificates …) against its seals, and names by day what was
                         changed, removed or put in since; with a day (2027-03-01) and the head that somebody kept of it, against that
                         too. 1 where something does not stand as it was written
  nudrik verify FILE [PRINT]
                         holds an evidence pack against its manifest and its signature, without a network or a database, and names
                         what was changed, removed or put in; with the print of a key that somebody kept, whether it is signed with
                         that one. 1 where something is not as signed
  nudrik recount         looks whether the counts that pages read say what there is, and counts anew where they do not
`;

/** @returns the exit code: 0 done, 1 done and something is to be known, 2 refused */
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
    let plan: PlanFile | null = null;
    if (args[2] !== undefined) {
      const read = await readPlan('rehearse', args[2]);
      if (typeof read === 'number') return read;
      plan = read;
    }
    const result = rehearseText(text, plan);
    if ('refusals' in result) return refuse(result.refusals.map((line) => `nudrik rehearse: ${line}`).join('\n'));
    for (const line of result.warnings) process.stderr.write(`nudrik rehearse: ${line}\n`);
    await print(result.lines.map((line) => `${line}\n`).join(''));
    return 0;
  }
  if (command === 'plan') return planCommand(args.slice(1));
  if (command === 'schema' && file === 'plan') {
    const { planSchema } = await import('./plans/plan-file.ts');
    await print(`${JSON.stringify(planSchema(), null, 2)}\n`);
    return 0;
  }
  if (command === 'schema') {
    const { rehearsalSchema } = await import('./plans/rehearsal-schema.ts');
    await print(`${JSON.stringify(rehearsalSchema(), null, 2)}\n`);
    return 0;
  }
  if (command === 'setup') return setup(args.slice(1));
  if (command === 'new-key') return newKey();
  if (command === 'recount') return recount();
  if (command === 'verify') return verify(args.slice(1));
  if (command === undefined || command === 'help' || command === '--help') {
    await print(USAGE);
    return 0;
  }
  return refuse(`nudrik: there is no command "${command}".\n\n${USAGE}`);
}

/** A plan's own file, or the exit code of its refusal. */
async function readPlan(what: string, file: string): Promise<PlanFile | number> {
  let text: string;
  try {
    text = readFileSync(file === '-' ? 0 : file, 'utf8');
  } catch (error) {
    return refuse(`nudrik ${what}: ${file} cannot be read: ${(error as Error).message}`);
  }
  const { readPlanText } = await import('./plans/plan-file.ts');
  const read = readPlanText(text);
  if ('plan' in read) return read.plan;
  return refuse(read.refusals.map((line) => `nudrik ${what}: ${file}: ${line}`).join('\n'));
}

/** Plans as files, for those who review them in version control. */
async function planCommand([command, ...files]: string[]): Promise<number> {
  const { checkPlan, tellPlan } = await import('./plans/plan-file.ts');
  if (command === 'check' && files.length > 0) {
    let code = 0;
    for (const file of files) {
      const plan = await readPlan('plan check', file);
      if (typeof plan === 'number') {
        code = plan;
        continue;
      }
      const warnings = checkPlan(plan);
      for (const words of warnings) await print(`${file}: ${words}\n`);
      if (warnings.length > 0) code ||= 1;
      else await print(`${file}: nothing to be known of the ${plan.steps.length} steps of ${plan.course}.\n`);
    }
    return code;
  }
  if (command === 'diff' && files.length === 2) {
    const [before, after] = [await readPlan('plan diff', files[0]!), await readPlan('plan diff', files[1]!)];
    if (typeof before === 'number') return before;
    if (typeof after === 'number') return after;
    const { compareSteps, renamings } = await import('@nudrik/core');
    const found = compareSteps(tellPlan(before), tellPlan(after), renamings(before.steps, after.steps));
    for (const { step, was, is } of found) {
      const lines = [...was.map((line) => `- ${line}`), ...is.map((line) => `+ ${line}`)];
      await print(`${step}\n${lines.map((line) => `  ${line}\n`).join('')}`);
    }
    if (found.length === 0) await print('Both say the same.\n');
    const warnings = checkPlan(after);
    for (const words of warnings) await print(`To know: ${words}\n`);
    return warnings.length > 0 ? 1 : 0;
  }
  return refuse('nudrik plan: expected "check FILE …" or "diff A B".');
}

async function setup(args: string[]): Promise<number> {
  const { parseArgs } = await import('node:util');
  const text = { type: 'string' } as const;
  const { SetupRequest, setUp } = await import('./access/setup.ts');
  let values: Record<string, unknown>;
  try {
    ({ values } = parseArgs({
      args,
      options: {
        organisation: text,
        zone: text,
        place: text,
        sender: text,
        'reply-to': text,
        admin: text,
        site: { type: 'string', multiple: true },
      },
    }));
  } catch (error) {
    return refuse(`nudrik setup: ${(error as Error).message}`);
  }
  const sites = ((values['site'] as string[] | undefined) ?? []).map((pair) => ({
    name: pair.split('=')[0]!.trim(),
    zone: pair.split('=')[1]?.trim() ?? '',
  }));
  const request = SetupRequest.safeParse({
    ...values,
    replyTo: values['reply-to'] ?? values['sender'],
    password: process.env['NUDRIK_PASSWORD'],
    sites,
  });
  const { tellIssues } = await import('@nudrik/contract');
  if (!request.success)
    return refuse(
      tellIssues(request.error)
        .map(({ where, message }) => `nudrik setup: ${where}: ${message}`)
        .join('\n'),
    );
  const { readSettings } = await import('./settings.ts');
  const { migrate } = await import('./db/migrate.ts');
  const { openPool } = await import('./db/db.ts');
  try {
    const { directUrl } = readSettings(process.env);
    await migrate(directUrl);
    const db = openPool(directUrl, 1);
    await setUp(db, request.data);
    await db.end();
  } catch (error) {
    return refuse(`nudrik setup: ${(error as Error).message}`);
  }
  await print(`${request.data.organisation} is set up; ${request.data.admin} may sign in.\n`);
  return 0;
}

const printLine = (line: string): Promise<void> => print(`${line}\n`);

/** Whether a pack is as it was signed; by which key, compared with one that somebody kept. */
async function verifyFile(file: string, print: string | undefined): Promise<number> {
  const { tellPack, verifyPack } = await import('./evidence/verify-pack.ts');
  try {
    const report = await verifyPack(file);
    for (const words of report.about) await printLine(words);
    if (print !== undefined && report.key !== null && report.key !== print) {
      report.faults.unshift(`It is signed with the key ${report.key}; expected ${print}: another house made it, or somebody signed it anew.`);
    }
    for (const words of report.faults) await printLine(words);
    if (report.more > 0) await printLine(`… and ${report.more} more`);
    await printLine(tellPack(report));
    if (report.faults.length === 0) await printLine(print === undefined ? `Compare the key with the one that the house shows, and its manifest: ${report.manifest}` : 'That is the key that was kept.');
    return report.faults.length > 0 ? 1 : 0;
  } catch (error) {
    return refuse(`nudrik verify: ${(error as Error).message}`);
  }
} // prettier-ignore

/** Whether the record stands as it was written. It only reads: a look at a copy of the database does as well. */
async function verify([day, head, ...more]: string[]): Promise<number> {
  if (day !== undefined && (/\.zip$/i.test(day) || existsSync(day)) && more.length === 0) return verifyFile(day, head);
  if (more.length > 0 || (day !== undefined && head === undefined))
    return refuse('nudrik verify: expected nothing, or a day and the head that was kept of it: nudrik verify 2027-03-01 0a1b…');
  const { SealsCheck, tellSeals } = await import('@nudrik/contract');
  const read = SealsCheck.safeParse({ day: day ?? null, head: head ?? null });
  if (!read.success)
    return refuse(`nudrik verify: ${read.error.issues.map(({ path, message }) => `${path.join('.')}: ${message}`).join('; ')}`);
  const { readSettings } = await import('./settings.ts');
  const { withClient } = await import('./db/migrate.ts');
  const { verifySeals } = await import('./seals/seals.ts');
  const { lookAtOnce } = await import('./seals/seals.repo.ts');
  try {
    const { directUrl } = readSettings(process.env);
    const kept = day === undefined ? null : { day, head: read.data.head! };
    const report = await withClient(directUrl, async (db) => {
      // one look at all of it, whatever is written meanwhile; and nothing is written by us
      await db.query('begin');
      await lookAtOnce(db);
      return verifySeals(db, kept);
    });
    for (const { words } of report.faults) await print(`${words}\n`);
    if (report.more > 0) await print(`… and ${report.more} more\n`);
    await print(`${tellSeals(report)}\n`);
    return report.faults.length > 0 ? 1 : 0;
  } catch (error) {
    return refuse(`nudrik verify: ${(error as Error).message}`);
  }
}

async function recount(): Promise<number> {
  const { readSettings } = await import('./settings.ts');
  const { migrate, withClient } = await import('./db/migrate.ts');
  try {
    const { directUrl } = readSettings(process.env);
    await migrate(directUrl);
    // a large house is counted for minutes: no limit of time
    const astray = await withClient(directUrl, async (db) => {
      const found = (await db.query<{ what: string; kept: number | null; counted: number | null }>('select * from figures_astray()')).rows;
      if (found.length > 0) await db.query('select recount_figures()');
      return found;
    });
    for (const { what, kept, counted } of astray.slice(0, 20))
      await print(`${what}: kept ${kept ?? 'none'}, counted ${counted ?? 'none'}\n`);
    await print(
      astray.length === 0
        ? 'All counts say what there is.\n'
        : `${astray.length === 1 ? '1 count was' : `${astray.length} counts were`} astray; all were counted anew.\n`,
    );
  } catch (error) {
    return refuse(`nudrik recount: ${(error as Error).message}`);
  }
  return 0;
}

async function newKey(): Promise<number> {
  const { readSettings } = await import('./settings.ts');
  const { migrate } = await import('./db/migrate.ts');
  const { openPool } = await import('./db/db.ts');
  const { openKey, takeKey } = await import('./house/key.ts');
  try {
    const settings = readSettings(process.env);
    await migrate(settings.directUrl);
    const db = openPool(settings.directUrl, 1);
    await takeKey(db, settings.key || openKey(settings.keyFile));
    await db.end();
  } catch (error) {
    return refuse(`nudrik new-key: ${(error as Error).message}`);
  }
  await print('The house has the present key now. Links that were sent before open nothing any more; reminders carry new ones.\n');
  return 0;
}

function refuse(words: string): number {
  process.stderr.write(`${words}\n`);
  return 2;
}

const print = (text: string): Promise<void> => new Promise((done) => void process.stdout.write(text, () => done()));

process.exitCode = await main(process.argv.slice(2));
