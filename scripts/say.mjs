// what the scripts tell, and how they stop: one sentence, no stack
export const say = (words) => process.stdout.write(`${words}\n`);

/** A reason to stop that the user can act on. */
export class Stop extends Error {}

export function run(main) {
  main().catch((error) => {
    process.stderr.write(`${error instanceof Stop ? error.message : (error.stack ?? error)}\n`);
    process.exit(1);
  });
}
