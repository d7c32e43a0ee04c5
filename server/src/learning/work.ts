import {
  isPackageDone,
  isPlayed,
  packageTold,
  playedShare,
  playedWith,
  type AssignmentEvent,
  type PackageAbout,
  type PackageTold,
  type Stretch,
  type Video,
} from '@nudrik/core';
import type { PackageReport, PackageView, Place, PlayedReport, PlayedView } from '@nudrik/contract';
import { signedToken } from '../access/personal-link.ts';
import type { LockedAssignment } from '../assignments/assignments.repo.ts';
import { transaction, type Client } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { Refused } from '../refusal.ts';
import { actor, lockUnit, settle } from './learn.ts';
import { findUnitContent, findWork, putPackage, putPlace, putPlayed } from './work.repo.ts';

/** Who acts: by a personal link, signed in or not. */
export interface By {
  link: string;
  signedIn: string | null;
}

/** Keeps where somebody is in a unit, so that they go on there. */
export async function keepPlace(deps: Deps, { link }: By, unitId: string, place: Place): Promise<void> {
  await transaction(deps.db, async (client) => {
    const { assignment } = await lockUnit(deps, client, link, unitId);
    await putPlace(client, assignment.id, unitId, place, deps.clock.now());
  });
}

/** Records that a unit is done by what was done in it, once; also one that is not required, once the course is finished. */
async function doneBy(
  deps: Deps,
  client: Client,
  assignment: LockedAssignment,
  unitId: string,
  events: AssignmentEvent[],
  isDone: boolean,
  signedIn: string | null,
): Promise<boolean> {
  const isFinished = assignment.closed_by === 'finished';
  // of what is gone through again once the course is finished, only a unit that was not done yet is news
  if (isFinished && (!isDone || assignment.units_done.includes(unitId))) return true;
  if (isDone && !assignment.units_done.includes(unitId)) events.push({ type: 'unit-finished', at: deps.clock.now(), unit: unitId });
  if (events.length === 0) return false;
  return settle(deps, client, assignment, events, actor(assignment.person_name, assignment.person_id, signedIn));
}

/**
 * Takes what was played of a video since the last that was told. No more than can have been played in that time counts, so that
 * dragging over it, or telling it all at once, is not watching.
 */
export async function tellPlayed(deps: Deps, { link, signedIn }: By, unitId: string, report: PlayedReport): Promise<PlayedView> {
  return transaction(deps.db, async (client) => {
    const { assignment } = await lockUnit(deps, client, link, unitId);
    const { video } = await findUnitContent(client, unitId);
    if (!video?.seconds) throw new Refused('conflict', 'This unit is no video any more. Load the page again; nothing was changed.');
    const before = await findWork(client, assignment.id, unitId);
    const played = playedWith(before?.played ?? [], report.played as Stretch[], before?.elapsed ?? 0, video.seconds);
    await putPlayed(client, assignment.id, unitId, played, { seconds: report.at }, deps.clock.now());
    const isDone = isPlayed(video, played);
    const finished = await doneBy(deps, client, assignment, unitId, [], isDone, signedIn);
    return { ...tellVideo(video, played), isDone: isDone || assignment.units_done.includes(unitId), finished };
  });
}

const tellVideo = (video: Video, played: readonly Stretch[]): { percent: number; share: number } => ({ percent: playedShare(played, video.seconds ?? 0), share: video.share }); // prettier-ignore

/** What a package begins with: where it stands, and what it kept when it was left. */
export async function findPackage(deps: Deps, { link }: By, unitId: string): Promise<PackageView> {
  return transaction(deps.db, async (client) => {
    const { assignment } = await lockUnit(deps, client, link, unitId);
    const { fileId, about } = await packageOf(client, unitId);
    const kept = (await findWork(client, assignment.id, unitId))?.package;
    return {
      address: addressIn(deps.settings.key, fileId, about),
      edition: about.edition,
      // a package that was put in its place begins anew
      data: kept?.fileId === fileId ? kept.data : null,
      person: { id: assignment.person_id, name: assignment.person_name },
    };
  });
}

/** Where a package is opened. */
export const addressIn = (key: string, fileId: string, about: PackageAbout): string => `/api/packages/${signedToken(key, 'package', fileId)}/${about.launch}`; // prettier-ignore

async function packageOf(client: Client, unitId: string): Promise<{ fileId: string; about: PackageAbout }> {
  const { fileId, about } = await findUnitContent(client, unitId);
  if (!fileId || !about.package)
    throw new Refused('conflict', 'This unit is no package any more. Load the page again; nothing was changed.');
  return { fileId, about: about.package };
}

const isSame = (a: PackageTold | null, b: PackageTold): boolean => a !== null && a.isCompleted === b.isCompleted && a.isPassed === b.isPassed && a.score === b.score; // prettier-ignore

/** Takes what a package tells of itself: its place, its score, and that it is done. */
export async function tellPackage(
  deps: Deps,
  { link, signedIn }: By,
  unitId: string,
  { data }: PackageReport,
): Promise<{ isDone: boolean; finished: boolean }> {
  let cmi: unknown;
  try {
    cmi = JSON.parse(data);
  } catch {
    throw new Refused('wrong-input', 'What the package tells cannot be read: expected its data as JSON. Nothing was changed.');
  }
  return transaction(deps.db, async (client) => {
    const { assignment } = await lockUnit(deps, client, link, unitId);
    const { fileId, about } = await packageOf(client, unitId);
    const before = (await findWork(client, assignment.id, unitId))?.package;
    const told = packageTold(about.edition, cmi);
    const isDone = isPackageDone(told);
    await putPackage(client, assignment.id, unitId, { fileId, data, told }, deps.clock.now());
    // while it goes on nothing is recorded: what it says at its end is
    const isNews = (told.isCompleted || told.isPassed !== null) && !isSame(before?.fileId === fileId ? before.told : null, told);
    const events: AssignmentEvent[] = isNews
      ? [
          {
            type: 'package-told',
            at: deps.clock.now(),
            unit: unitId,
            passed: told.isPassed,
            score: told.score === null ? null : Math.round(told.score * 100),
          },
        ]
      : [];
    const finished = await doneBy(deps, client, assignment, unitId, events, isDone, signedIn);
    return { isDone: isDone || assignment.units_done.includes(unitId), finished };
  });
}
