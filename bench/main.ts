import { bundleBench } from './bundle.bench.ts';
import { certificatesBench } from './certificates.bench.ts';
import { coursesBench } from './courses.bench.ts';
import { dispatchBench } from './dispatch.bench.ts';
import { houseBench } from './house.bench.ts';
import { messagesBench } from './messages.bench.ts';
import { peopleBench } from './people.bench.ts';
import { planningBench } from './planning.bench.ts';
import { storingBench } from './storing.bench.ts';
import { workersBench } from './workers.bench.ts';

const databaseUrl = process.env['NUDRIK_BENCH_DATABASE'];
const webDir = process.env['NUDRIK_WEB_DIR'];
if (!databaseUrl || !webDir) throw new Error('Run it with npm run bench.');

const benches: Record<string, () => void | Promise<void>> = {
  planning: () => planningBench(),
  courses: () => coursesBench(),
  messages: () => messagesBench(),
  certificates: () => certificatesBench(),
  storing: () => storingBench(databaseUrl),
  dispatch: () => dispatchBench(databaseUrl),
  people: () => peopleBench(databaseUrl),
  bundle: () => bundleBench(webDir),
  house: () => houseBench(databaseUrl),
  workers: () => workersBench(databaseUrl),
};
/** `npm run bench -- people bundle` runs only those; dispatch sends what storing has stored. */
const chosen = process.argv.slice(2);
const unknown = chosen.find((name) => !benches[name]);
if (unknown) throw new Error(`There is no bench "${unknown}". Expected any of: ${Object.keys(benches).join(', ')}.`);
for (const [name, bench] of Object.entries(benches)) if (chosen.length === 0 || chosen.includes(name)) await bench();
