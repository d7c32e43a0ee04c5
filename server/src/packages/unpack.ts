import type { PackageAbout } from '@nudrik/core';
import type { Client } from '../db/db.ts';
import { streamFile, type FoundFile } from '../files/files.repo.ts';
import { readZip } from '../files/zip.ts';
import { Refused } from '../refusal.ts';
import { readManifest } from './manifest.ts';
import { typeOfPath } from './path-type.ts';

const MB = 1024 * 1024;
const LIMITS = { files: 10_000, each: 100 * MB, whole: 1_024 * MB };
const MANIFEST = 'imsmanifest.xml';

const PUT = 'insert into package_files (package_id, path, type, content) values ($1::bigint, $2::text, $3::text, $4::bytea)';
const GET_LAUNCH = 'select 1 from package_files where package_id = $1::bigint and path = $2::text';

/** Unpacks a SCORM package beside its file, each of its files at its path. @throws Refused where it is none that can be played */
export async function unpackPackage(client: Client, file: FoundFile): Promise<PackageAbout> {
  const refuse = (words: string): Refused => new Refused('wrong-file', `${file.name}: ${words}. Nothing was taken.`);
  let manifest: string | null = null;
  let files = 0;
  const bytes = { size: file.size, read: (from: number, to: number) => streamFile(client, file, from, to) };
  for await (const { path, content } of readZip(bytes, file.name, LIMITS)) {
    if (path === MANIFEST) manifest = content.toString('utf8');
    await client.query(PUT, [file.id, path, typeOfPath(path), content]);
    files += 1;
  }
  if (manifest === null) throw refuse(`it is no SCORM package: ${MANIFEST} does not stand at its top`);
  const read = readManifest(manifest);
  if ('fault' in read) throw refuse(`its ${MANIFEST} ${read.fault}`);
  const page = decoded(read.launch.split(/[?#]/)[0]!);
  if ((await client.query(GET_LAUNCH, [file.id, page])).rowCount === 0)
    throw refuse(`its ${MANIFEST} opens “${page.slice(0, 120)}”, which is not in it`);
  return { ...read, files };
}

/** A path as it stands in the zip, of one as it stands in an address. */
export function decoded(path: string): string {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}
