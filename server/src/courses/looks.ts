import type { Account, Invitation, InvitedView, LookRequest, LookView, RemarkDraft, RemarksView } from '@nudrik/contract';
import { tellDate } from '@nudrik/core';
import { DAY_MS, Zone } from '@nudrik/core';
import { newToken, readLink, signedToken } from '../access/personal-link.ts';
import { announce, transaction, type Queryable } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { getHouse } from '../house/house.ts';
import { sendHouseMail } from '../messages/post.ts';
import { Refused } from '../refusal.ts';
import { findCourse } from './courses.repo.ts';
import { NO_COURSE, readDraft } from './draft.ts';
import { lookAtCourse } from './look.ts';
import { countInvited, countRemarks, endLook, findLook, insertLook, insertRemark, listInvited, listRemarks, listRemarksOf, tickRemark, type LookRow } from './looks.repo.ts'; // prettier-ignore

/** Colleagues whom one account may invite within a day, and remarks that a course may have: nobody writes more by hand. */
const MOST_INVITED = 50;
const MOST_REMARKS = 1_000;

/** Invites a colleague to look at a course: a link of their own, by mail, for some days. Where the mail is refused there is none. */
export async function inviteToLook(
  deps: Deps,
  courseId: string,
  { email, name, days, words }: Invitation,
  account: Account,
): Promise<{ words: string }> {
  const { db, clock, settings } = deps;
  const now = clock.now();
  const course = await findCourse(db, courseId);
  if (!course) throw new Refused('not-found', NO_COURSE);
  if ((await countInvited(db, account.id, now)) >= MOST_INVITED)
    throw new Refused('too-many-tries', `You have invited ${MOST_INVITED} people within a day. Try again tomorrow; nobody was invited.`);
  const token = newToken();
  const until = now + days * DAY_MS;
  const house = await getHouse(db);
  const zone = Zone.of(house.zone);
  const id = await insertLook(db, { courseId, token, name, email, words, account: account.id, byWhom: account.name, at: now, until });
  const handover = await sendHouseMail(deps, {
    to: email,
    toName: name,
    subject: `Would you look at “${course.title}”?`,
    paragraphs: [
      `Hello ${name},`,
      `${account.name} asks you to look at the course “${course.title}” as those who take it will see it, and to say what you think of it. You need no account, and nothing that you do there is recorded as training.`,
      ...(words === '' ? [] : [words]),
      `The link opens it until ${tellDate(zone.dayAt(until))}.`,
    ],
    link: { words: 'Look at the course', url: `${settings.baseUrl}/look/${signedToken(settings.key, 'look', token)}` },
  });
  if (handover.outcome !== 'accepted') {
    await endLook(db, id, courseId, now);
    throw new Refused('conflict', 'The mail server does not take the mail just now, so that nobody was invited. Try again later.');
  }
  await announce(db, 'courses');
  return { words: `The link is on its way to ${email}, and lasts until ${tellDate(zone.dayAt(until))}.` };
}

/** A look by its link. @throws Refused where it is none or has ended */
async function byLink(deps: Deps, db: Queryable, link: string): Promise<LookRow> {
  const { token } = readLink(deps.settings.key, 'look', link);
  const look = token === null ? null : await findLook(db, token, deps.clock.now());
  if (!look) throw new Refused('wrong-link', 'This link has ended or is not complete. Ask whoever sent it for another.');
  return look;
}

export async function invitedView(deps: Deps, link: string): Promise<InvitedView> {
  const look = await byLink(deps, deps.db, link);
  const course = await findCourse(deps.db, look.course_id);
  return { course: course!.title, name: look.name, by: look.by_whom, until: look.ends_at.toISOString(), words: look.words, remarks: await listRemarksOf(deps.db, look.id) }; // prettier-ignore
}

export async function invitedLook(deps: Deps, link: string, request: LookRequest): Promise<LookView> {
  const look = await byLink(deps, deps.db, link);
  return lookAtCourse(deps, look.course_id, request, look.name);
}

/** The course of a look, for its files. */
export const courseOfLook = async (deps: Deps, link: string): Promise<string> => (await byLink(deps, deps.db, link)).course_id;

async function keepRemark(
  deps: Deps,
  courseId: string,
  { unitId, text }: RemarkDraft,
  byWhom: string,
  lookId: string | null,
): Promise<{ id: string }> {
  return transaction(deps.db, async (client) => {
    const { content } = await readDraft(client, courseId);
    if (unitId !== null && !content.sections.some(({ units }) => units.some(({ id }) => id === unitId)))
      throw new Refused('not-found', 'This unit is no longer part of the course. Load the page again; your remark was not kept.');
    if ((await countRemarks(client, courseId)) >= MOST_REMARKS) throw new Refused('conflict', `This course has ${MOST_REMARKS} remarks, which are the most. Nothing was kept.`); // prettier-ignore
    const id = await insertRemark(client, { courseId, unitId, lookId, text, byWhom, at: deps.clock.now() });
    await announce(client, 'courses');
    return { id };
  });
}

/** A remark of somebody who was invited. */
export async function remarkByLink(deps: Deps, link: string, draft: RemarkDraft): Promise<InvitedView> {
  const look = await byLink(deps, deps.db, link);
  await keepRemark(deps, look.course_id, draft, look.name, look.id);
  return invitedView(deps, link);
}

export const remark = (deps: Deps, courseId: string, draft: RemarkDraft, account: Account): Promise<{ id: string }> => keepRemark(deps, courseId, draft, account.name, null); // prettier-ignore

export const remarksView = async (deps: Deps, courseId: string): Promise<RemarksView> => ({
  remarks: await listRemarks(deps.db, courseId),
  invited: await listInvited(deps.db, courseId, deps.clock.now()),
});

export async function tick(deps: Deps, id: string, isDone: boolean, account: Account): Promise<void> {
  if (!(await tickRemark(deps.db, id, isDone, account.name, deps.clock.now()))) throw new Refused('not-found', 'There is no such remark, or not any more.'); // prettier-ignore
  await announce(deps.db, 'courses');
}

export async function endInvitation(deps: Deps, courseId: string, id: string): Promise<void> {
  if (!(await endLook(deps.db, id, courseId, deps.clock.now()))) throw new Refused('not-found', 'There is no such invitation, or not any more.'); // prettier-ignore
  await announce(deps.db, 'courses');
}
