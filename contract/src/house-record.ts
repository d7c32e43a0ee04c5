import { tellDate, dayOf, tellLanguage, tellWeekdays, WAY_WORDS } from '@nudrik/core';
import type { FeedChange } from './feed/feed.ts';
import type { SettingsDraft } from './settings.ts';

/** What the house goes by, in words, for comparing two: what each part is called, and how it stands. */
export type Words = Record<string, string>;

const WEEK_STARTS: Readonly<Record<number, string>> = { 1: 'Monday', 6: 'Saturday', 7: 'Sunday' };

export const settingsWords = (draft: SettingsDraft): Words => ({
  Organisation: draft.organisation,
  Place: draft.place,
  'Time zone': draft.zone,
  'A week begins on': WEEK_STARTS[draft.weekStartsOn] ?? `day ${draft.weekStartsOn}`,
  'Messages go': `${draft.windowFrom} to ${draft.windowTo}`,
  'Messages a day': draft.dailyLimit === null ? 'no limit' : String(draft.dailyLimit),
  'Late by up to': `${draft.toleranceHours} hours`,
  'Acts wait': `${draft.settleMinutes} minutes`,
  'Days of grace': String(draft.graceDays),
  'Links work': draft.linkDays === null ? 'without end' : `${draft.linkDays} days after closing`,
  'Managers move due dates':
    draft.managerExtendDays === null
      ? 'as they like'
      : draft.managerExtendDays === 0
        ? 'not'
        : `by ${draft.managerExtendDays} days at the most`,
  'No answer is said': `after ${draft.unansweredDays} days`,
  'Messages are written in': tellLanguage(draft.language),
  'People are told': WAY_WORDS[draft.by],
  Sender: `${draft.senderName} <${draft.senderAddress}>`,
  'Colour of buttons': draft.frameColor,
  'Below every message': draft.imprint ?? 'nothing',
  'The picture': draft.logoEmbedded ? 'comes with each mail' : 'is fetched by mail programs',
  'Replies go to': draft.repliesToTrainer ? `the course's trainer, else ${draft.replyTo}` : draft.replyTo,
  'Replies are kept': draft.inboundAddress === null ? 'no' : `yes, as they come in at ${draft.inboundAddress}`,
});

export const departmentWords = ({ name, below }: { name: string; below: string | null }): Words => ({
  Name: name,
  'Stands below': below ?? 'nothing',
});
export const groupWords = ({ name, about }: { name: string; about: string | null }): Words => ({
  Name: name,
  'What it is for': about || 'not said',
});
export const siteWords = ({ name, zone, workingDays }: { name: string; zone: string; workingDays: readonly number[] }): Words => ({
  Name: name,
  'Time zone': zone,
  'Working days': tellWeekdays(workingDays),
});
export const holidayWords = (year: number, holidays: readonly { on: string; name: string }[]): Words => ({
  [`Holidays of ${year}`]:
    [...holidays]
      .sort((a, b) => (a.on < b.on ? -1 : 1))
      .map(({ on, name }) => `${tellDate(dayOf(on))} ${name}`)
      .join(', ') || 'none',
});
/** The address without what it may carry of secrets. */
export const feedWords = ({ url, isOn, times, changeShare }: FeedChange): Words => ({
  Address: URL.canParse(url) ? `${new URL(url).origin}${new URL(url).pathname}` : url,
  'Asked at': [...new Set(times)].sort().join(', '),
  'Switched on': isOn ? 'yes' : 'no',
  'Waits above': `${changeShare} %`,
});

export const HOUSE_AREAS = ['settings', 'structure', 'feed', 'keeping'] as const;
export type HouseArea = (typeof HOUSE_AREAS)[number];

/** GET /api/record/:area: the newest changes */
export interface HouseChange {
  at: string;
  byWhom: string;
  words: string;
}
