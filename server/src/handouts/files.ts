import { filesFault, type Handout, type HandoutOf, type PlanStep } from '@nudrik/core';
import { addressOf, type PersonalLink } from '../access/personal-link.ts';
import type { Client, Queryable } from '../db/db.ts';
import { readBytes } from '../files/files.repo.ts';
import type { Letter } from '../messages/channel.ts';
import { pictureFaults } from '../messages/picture.ts';
import { listHandouts, putDownloads, type HandoutRow } from './handouts.repo.ts';

const HOUR_MS = 3_600_000;

export type Handouts = ReadonlyMap<string, HandoutRow>;

/** The files that the messages of some steps bring. */
export const handoutsFor = (db: Queryable, steps: readonly Pick<PlanStep, 'message'>[]): Promise<Handouts> =>
  listHandouts(db, [...new Set(steps.flatMap(({ message }) => (message.files ?? []).map(({ handout }) => handout)))]);

export const handoutIn =
  (handouts: Handouts): HandoutOf =>
  (id): Handout | null =>
    handouts.get(id) ?? null;

/** What is wrong with the files and pictures of steps: gone, or more than goes by mail. */
export async function fileFaults(db: Queryable, steps: readonly PlanStep[]): Promise<{ step: string; message: string }[]> {
  const handoutOf = handoutIn(await handoutsFor(db, steps));
  const pictures = await pictureFaults(db, steps);
  const files = steps.flatMap(({ id, name, message }) => {
    const fault = filesFault(message.files ?? [], handoutOf);
    return fault ? [{ step: id, message: `“${name}”: ${fault}` }] : [];
  });
  return [...files, ...pictures];
}

/** What went with a message, as it is kept: of an attached file the version that was in it. */
export interface MessageFile {
  handout: string;
  as: 'attached' | 'download';
  name: string;
  version: number | null;
}

export const messageFiles = ({ message }: PlanStep, handouts: Handouts): MessageFile[] =>
  (message.files ?? []).flatMap(({ handout, as }): MessageFile[] => {
    const found = handouts.get(handout);
    return found ? [{ handout, as, name: found.name, version: as === 'attached' ? found.version : null }] : [];
  });

export const sameFiles = (a: readonly MessageFile[], b: readonly MessageFile[]): boolean => {
  const told = (list: readonly MessageFile[]): string => list.map(({ handout, as, name, version }) => [handout, as, name, version].join('/')).join('\n');
  return told(a) === told(b);
}; // prettier-ignore

/** What names the download of a file by the reader of a notice; its signature is what opens it. */
export const downloadToken = (notice: string, handout: string): string => `${notice}-${handout}`;
export const downloadAddress = (baseUrl: string, notice: string, handout: string): string =>
  addressOf(baseUrl, { kind: 'download', token: downloadToken(notice, handout) });

/** Attached files, each read once however many letters bring it. */
export function attaching(db: Queryable, handouts: Handouts): (step: Pick<PlanStep, 'message'>) => Promise<NonNullable<Letter['files']>> {
  const read = new Map<string, Promise<Buffer>>();
  const contentOf = ({ file_id, bytes }: HandoutRow): Promise<Buffer> => {
    if (!read.has(file_id)) read.set(file_id, readBytes(db, file_id, 0, bytes));
    return read.get(file_id)!;
  };
  return ({ message }) =>
    Promise.all(
      (message.files ?? []).flatMap(({ handout, as }) => {
        const found = as === 'attached' ? handouts.get(handout) : undefined;
        return found ? [contentOf(found).then((content) => ({ name: found.name, type: found.type, content }))] : [];
      }),
    );
}

interface Given {
  step: PlanStep;
  /** the notice that the message is known by */
  notice: string;
  person: string | null;
  toName: string;
  toAddress: string;
}

/** Gives the readers of messages their downloads, from now on; their links are signed in a letter by what this returns. */
export async function giveDownloads(client: Client, given: readonly Given[], handouts: Handouts, now: number): Promise<void> {
  await putDownloads(
    client,
    given.flatMap(({ step, notice, person, toName, toAddress }) =>
      (step.message.files ?? []).flatMap(({ handout, as, hours, times, mayAsk }) =>
        as === 'download' && handouts.has(handout)
          ? [{ token: downloadToken(notice, handout), handout, notice, person, toName, toAddress, until: new Date(now + hours * HOUR_MS), times, mayAsk }]
          : [],
      ),
    ),
  ); // prettier-ignore
}

/** The downloads of a letter's reader, as the letter keeps them. */
export const downloadLinks = ({ message }: PlanStep, notice: string): PersonalLink[] =>
  (message.files ?? []).flatMap(({ as, handout }) =>
    as === 'download' ? [{ kind: 'download' as const, token: downloadToken(notice, handout) }] : [],
  );
