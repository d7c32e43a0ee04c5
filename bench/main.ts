import { bundleBench } from './bundle.bench.ts';
import { dispatchBench } from './dispatch.bench.ts';
import { peopleBench } from './people.bench.ts';
import { planningBench } from './planning.bench.ts';
import { storingBench } from './storing.bench.ts';

const databaseUrl = process.env['NUDRIK_BENCH_DATABASE'];
const webDir = process.env['NUDRIK_WEB_DIR'];
if (!databaseUrl || !webDir) throw new Error('Run it with npm run bench.');
planningBench();
await storingBench(databaseUrl);
await dispatchBench(databaseUrl);
await peopleBench(databaseUrl);
bundleBench(webDir);
