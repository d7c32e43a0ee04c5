import { settingsWords, type SettingsDraft, type SettingsView, type TestMailResult } from '@nudrik/contract';
import { announce, transaction, type Queryable } from '../db/db.ts';
import { refuseStale } from '../db/versions.ts';
import type { Deps } from '../deps.ts';
import { serversOf } from '../messages/mail-channel.ts';
import { sendHouseMail } from '../messages/post.ts';
import { requestReplan } from '../notices/queue.ts';
import { getHouse, logoAddress } from './house.ts';
import { recordHouse } from './record.ts';
import { refuseUnknownZone } from '../refusal.ts';
import { AT_ONCE, isLarge, type Work } from '../work/jobs.ts';
import { getSettings, listOpenAssignments, lockSettings, placeOnDays, putSettings, type SettingsRow } from './settings.repo.ts';

/** What the house goes by, and who set it so. */
export async function settingsView(deps: Deps, db: Queryable = deps.db): Promise<SettingsView> {
  const row = await getSettings(db);
  const servers = serversOf(deps.settings).map((text) => new URL(text));
  return {
    version: row.version,
    organisation: row.organisation,
    zone: row.house_zone,
    place: row.house_place,
    senderName: row.sender_name,
    language: row.language,
    by: row.reached_by,
    hasChat: row.has_chat,
    senderAddress: row.sender_address,
    replyTo: row.reply_to,
    repliesToTrainer: row.replies_to_trainer,
    inboundAddress: row.inbound_address,
    frameColor: row.frame_color,
    imprint: row.imprint,
    logoEmbedded: row.logo_embedded,
    logo: row.logo_id && logoAddress('', row.logo_id),
    windowFrom: row.window_from,
    windowTo: row.window_to,
    dailyLimit: row.daily_limit,
    toleranceHours: Math.round(row.tolerance_minutes / 60),
    settleMinutes: row.settle_minutes,
    graceDays: row.grace_days,
    linkDays: row.link_days,
    weekStartsOn: row.week_starts_on,
    managerExtendDays: row.manager_extension_days,
    unansweredDays: row.unanswered_days,
    changedAt: row.changed_at?.toISOString() ?? null,
    changedBy: row.changed_by,
    mailServer: servers.map(({ hostname, port }) => `${hostname}${port ? `:${port}` : ''}`).join(', then ') || 'none',
    isDemo: row.is_demo,
  };
}

/** Whether saving rewrites something of every notice, or plans everyone again, in a house of many. */
export async function savesMuch(deps: Deps, draft: SettingsDraft): Promise<boolean> {
  const stored = await getSettings(deps.db);
  return (stored.house_zone !== draft.zone || movesMoments(stored, draft)) && (await isLarge(deps));
}

const movesMoments = (stored: SettingsRow, draft: SettingsDraft): boolean =>
  stored.window_from !== draft.windowFrom || stored.window_to !== draft.windowTo || stored.tolerance_minutes !== draft.toleranceHours * 60;

/** Saves what the house goes by; where moments hang on what changed, what is unsent is planned again. */
export async function saveSettings(deps: Deps, draft: SettingsDraft, byWhom: string, work: Work = AT_ONCE): Promise<SettingsView> {
  refuseUnknownZone(draft.zone);
  await work.at(0, 2);
  return transaction(deps.db, async (client) => {
    const stored = await lockSettings(client);
    await refuseStale(deps, client, 'the settings', stored, draft.version);
    const by = { at: deps.clock.now(), byWhom };
    const before = settingsWords(await settingsView(deps, client));
    await putSettings(client, draft, by.at, byWhom);
    await recordHouse(client, 'settings', by, 'Settings', before, settingsWords(draft));
    await work.at(1, 2);
    if (movesMoments(stored, draft)) await requestReplan(client, await listOpenAssignments(client));
    // days of the ribbon and the ledger are the house's
    if (stored.house_zone !== draft.zone) await placeOnDays(client, draft.zone);
    await announce(client, 'settings', 'notices');
    const result = await settingsView(deps, client);
    await work.finish(client, result);
    return result;
  });
}

/** Sends one mail to an address and tells what the mail server said; it stands in no ledger and marks nobody's address. */
export async function sendTestMail(deps: Deps, to: string, byWhom: string): Promise<TestMailResult> {
  const { organisation } = await getHouse(deps.db);
  const handover = await sendHouseMail(deps, {
    to,
    toName: '',
    subject: `Test: mail from ${organisation}`,
    paragraphs: [`This is a test, sent by ${byWhom} from the settings of Nudrik. If you read it, mail from ${organisation} arrives here.`],
  });
  const isAccepted = handover.outcome === 'accepted';
  return { isAccepted, words: `The mail server ${isAccepted ? 'took it' : 'did not take it'}: “${handover.response}”.` };
}
