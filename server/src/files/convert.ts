import { execFile } from 'node:child_process';
import { access, constants, mkdtemp, readFile as readDisk, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { delimiter, join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { FILE_KINDS, titleOfFile } from '@nudrik/core';
import type { PageOfFile, StoredFile } from '@nudrik/contract';
import { cleanPage } from '../courses/page.ts';
import { transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { readDocxFile, readPdfFile } from '../read-apart.ts';
import { Refused } from '../refusal.ts';
import type { Work } from '../work/jobs.ts';
import { findFile, putFile } from './files.repo.ts';
import { measured } from './look.ts';
import { typeOf } from './type.ts';
import { Readable } from 'node:stream';

/** Minutes that turning one file into PDF may take. */
const LIMIT_MS = 180_000;

/** Where LibreOffice stands on this machine; null where it is not installed. */
export async function findOffice({ settings }: Pick<Deps, 'settings'>): Promise<string | null> {
  const names = settings.office ? [settings.office] : (process.env['PATH'] ?? '').split(delimiter).flatMap((folder) => [join(folder, 'soffice'), join(folder, 'libreoffice')]); // prettier-ignore
  for (const name of names)
    try {
      await access(name, constants.X_OK);
      return name;
    } catch {
      // not here
    }
  return null;
}

/** A file that stands in a course. @throws Refused where there is none, or it is none that is turned into this */
async function findAs(deps: Deps, id: string, as: 'page' | 'pdf'): Promise<{ name: string; type: string; content: Buffer }> {
  const file = await findFile(deps.db, id, ['course']);
  if (!file) throw new Refused('not-found', 'There is no such file, or not any more.');
  const kind = FILE_KINDS[file.type];
  if (kind?.as !== as && !(as === 'pdf' && kind?.as === 'page'))
    throw new Refused('conflict', `${file.name} is ${kind?.words ?? 'another kind of file'}, which is not turned into a ${as === 'page' ? 'page' : 'PDF'}. Nothing was changed.`); // prettier-ignore
  return file;
}

/** A DOCX as a page, its pictures kept as files of the course. */
export async function pageOf(deps: Deps, id: string): Promise<PageOfFile> {
  const { name, content } = await findAs(deps, id, 'page');
  const { html, pictures, left } = await readDocxFile(content, name);
  const words = left.map((one) => (one.startsWith('Unrecognised paragraph style') ? 'A style of its own was not taken over.' : `${one}.`));
  const kept = await transaction(deps.db, async (client) => {
    const ids: (string | null)[] = [];
    for (const [i, { bytes }] of pictures.entries()) {
      const head = Buffer.from(bytes.subarray(0, 65_536));
      const { type } = await typeOf(head, () => Readable.from([Buffer.from(bytes)]));
      const pictureName = `${titleOfFile(name)}, picture ${i + 1}.${(type && FILE_KINDS[type]?.endings[0]) ?? 'bin'}`;
      try {
        if (FILE_KINDS[type ?? '']?.as !== 'picture') throw new Refused('wrong-file', '');
        const about = measured(bytes, pictureName);
        ids.push((await putFile(client, { name: pictureName, type: type!, content: bytes, purpose: 'course', about, madeFrom: id })).id);
      } catch (error) {
        if (!(error instanceof Refused)) throw error;
        ids.push(null);
      }
    }
    return ids;
  });
  const lost = kept.filter((one) => one === null).length;
  if (lost > 0) words.push(`${lost === 1 ? 'One picture is' : `${lost} pictures are`} of a kind that browsers do not show, and ${lost === 1 ? 'was' : 'were'} left out.`); // prettier-ignore
  return {
    html: cleanPage(
      html.replace(/src="picture:(\d+)"/g, (_, n: string) => `src="${kept[Number(n)] ? `/api/files/${kept[Number(n)]}` : ''}"`),
    ),
    left: [...new Set(words)],
  };
}

/** A presentation or a text as a PDF beside it, by LibreOffice. */
export async function pdfOf(deps: Deps, id: string, work: Work): Promise<StoredFile> {
  const office = await findOffice(deps);
  if (!office) throw new Refused('conflict', 'LibreOffice is not installed on the server, so that this cannot be turned into a PDF here. It stays a download; nothing was changed.'); // prettier-ignore
  const { name, type, content } = await findAs(deps, id, 'pdf');
  const ending = FILE_KINDS[type]!.endings[0]!;
  const folder = await mkdtemp(join(tmpdir(), 'nudrik-office-'));
  try {
    await writeFile(join(folder, `file.${ending}`), content);
    await work.at(0, 1);
    await convert(office, folder, ending, name);
    const pdf = await readDisk(join(folder, 'file.pdf')).catch(() => null);
    if (!pdf) throw new Refused('wrong-file', `${name}: LibreOffice could not make a PDF of it. It stays a download; nothing was changed.`);
    const pages = await readPdfFile(pdf, name);
    return await transaction(deps.db, async (client) => {
      const made = await putFile(client, { name: name.replace(/\.[^.]+$/, '.pdf'), type: 'application/pdf', content: pdf, purpose: 'course', about: { pages }, madeFrom: id }); // prettier-ignore
      await work.finish(client, made);
      return made;
    });
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** Runs LibreOffice in a folder, with a profile of its own that goes with it: no macro, no network, no other instance. */
function convert(office: string, folder: string, ending: string, name: string): Promise<void> {
  const profile = `-env:UserInstallation=${pathToFileURL(join(folder, 'profile')).href}`;
  const environment = {
    PATH: process.env['PATH'] ?? '',
    HOME: folder,
    http_proxy: 'http://127.0.0.1:9',
    https_proxy: 'http://127.0.0.1:9',
  };
  return new Promise((resolve, reject) => {
    execFile(
      office,
      [profile, '--headless', '--norestore', '--nolockcheck', '--convert-to', 'pdf', '--outdir', folder, join(folder, `file.${ending}`)],
      { timeout: LIMIT_MS, killSignal: 'SIGKILL', env: environment, cwd: folder, maxBuffer: 1_000_000 },
      (error) => {
        if (!error) return resolve();
        const how = error.killed ? `took longer than ${LIMIT_MS / 60_000} minutes` : 'could not read it';
        reject(new Refused('wrong-file', `${name}: LibreOffice ${how}. It stays a download; nothing was changed.`));
      },
    );
  });
}
