import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { report } from './measure.ts';

/** What a browser loads before the first list shows: index.html, what it names, and the chunks of the first page. */
export function bundleBench(folder: string): void {
  const size = (name: string): number => gzipSync(readFileSync(join(folder, name))).length;
  const index = readFileSync(join(folder, 'index.html'), 'utf8');
  const seen = new Set<string>(['index.html', ...[...index.matchAll(/(?:src|href)="([\w.-]+\.(?:js|css))"/g)].map((match) => match[1]!)]);
  const files = readdirSync(folder);
  // the first page's chunk is the one that asks for /api/today
  const first = files.find((name) => name.endsWith('.js') && readFileSync(join(folder, name), 'utf8').includes('"/api/today"'));
  if (!first) throw new Error('No chunk asks for /api/today.');
  const follow = (name: string): void => {
    seen.add(name);
    if (!name.endsWith('.js')) return;
    for (const match of readFileSync(join(folder, name), 'utf8').matchAll(/(?:from|import)\s*"\.\/([\w-]+\.js)"/g))
      if (!seen.has(match[1]!)) follow(match[1]!);
  };
  for (const name of [...seen, first]) follow(name);
  const bytes = [...seen].reduce((sum, name) => sum + size(name), 0);
  report(
    'web, first load before the first list shows',
    `${Math.round(bytes / 1000)} kB gzip in ${seen.size} files, fonts apart`,
    'goal under 200 kB',
  );
}
