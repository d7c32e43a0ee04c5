import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { report } from './measure.ts';

/** What the build says of itself: of each file, what is in it and what it loads at once. */
interface Built {
  outputs: Record<
    string,
    { entryPoint?: string; inputs: Record<string, { bytesInOutput: number }>; imports: { path: string; kind: string }[] }
  >;
}

const isOurs = (input: string): boolean => /^(\.\.\/)?(src|core|contract)\//.test(input);

/** What a browser loads before a page shows: index.html, what it names, and the chunks of the page; and how much of the script is ours. */
function weigh(folder: string, pages: readonly string[]): { bytes: number; own: number; files: number } {
  const { outputs } = JSON.parse(readFileSync(join(folder, '../stats.json'), 'utf8')) as Built;
  const size = (name: string): number => gzipSync(readFileSync(join(folder, name))).length;
  const index = readFileSync(join(folder, 'index.html'), 'utf8');
  const seen = new Set<string>(['index.html', ...[...index.matchAll(/(?:src|href)="([\w.-]+\.(?:js|css))"/g)].map((match) => match[1]!)]);
  const first = pages.map((page) => {
    const found = Object.entries(outputs).find(([, { entryPoint }]) => entryPoint === page);
    if (!found) throw new Error(`No chunk of ${page}.`);
    return found[0];
  });
  const follow = (name: string): void => {
    seen.add(name);
    for (const { path, kind } of outputs[name]?.imports ?? [])
      if (kind === 'import-statement' && outputs[path] && !seen.has(path)) follow(path);
  };
  for (const name of [...seen, ...first]) follow(name);
  let bytes = 0;
  let own = 0;
  for (const name of seen) {
    const weight = size(name);
    bytes += weight;
    const inputs = Object.entries(outputs[name]?.inputs ?? {});
    const sum = (list: typeof inputs): number => list.reduce((total, [, { bytesInOutput }]) => total + bytesInOutput, 0);
    if (name.endsWith('.js') && sum(inputs) > 0) own += (weight * sum(inputs.filter(([input]) => isOurs(input)))) / sum(inputs);
  }
  return { bytes, own, files: seen.size };
}

const kilobytes = (bytes: number): string => `${Math.round(bytes / 1000)} kB`;

export function bundleBench(folder: string): void {
  const office = weigh(folder, ['src/app/reports/today.page.ts']);
  report(
    'web, first load before the first list shows',
    `${kilobytes(office.bytes)} gzip in ${office.files} files, fonts apart`,
    'goal under 200 kB',
  );
  const employee = weigh(folder, ['src/app/learning/my-training.page.ts', 'src/app/learning/learn.page.ts']);
  report(
    "web, an employee's first view: their own page, and a course",
    `${kilobytes(employee.own)} gzip of our own script; ${kilobytes(employee.bytes)} with Angular, styles and the rest`,
    'goal under 100 kB of our own',
  );
}
