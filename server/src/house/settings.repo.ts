import type { SettingsDraft } from '@nudrik/contract';
import type { Instant, Language, Way } from '@nudrik/core';
import { oneRow, rows, type Client, type Queryable } from '../db/db.ts';

const COLUMNS = `
  version, organisation, house_zone, house_place, sender_name, language, sender_address, reply_to, replies_to_trainer, inbound_address, frame_color, imprint, logo_id, logo_embedded, list_id, window_from, window_to, daily_limit,
    tolerance_minutes,
  settle_minutes, grace_days, link_days, week_starts_on, changed_at, changed_by, is_demo, envelope_key, reached_by, has_chat, manager_extension_days, unanswered_days
`;
const GET_SETTINGS = `select ${COLUMNS} from settings`;
const LOCK_SETTINGS = `select ${COLUMNS} from settings for update`;

export interface SettingsRow {
  version: number;
  organisation: string;
  house_zone: string;
  house_place: string;
  sender_name: string;
  language: Language;
  sender_address: string;
  reply_to: string;
  replies_to_trainer: boolean;
  inbound_address: string | null;
  frame_color: string;
  imprint: string | null;
  logo_id: string | null;
  logo_embedded: boolean;
  list_id: string;
  window_from: string;
  window_to: string;
  daily_limit: number | null;
  tolerance_minutes: number;
  settle_minutes: number;
  grace_days: number;
  link_days: number | null;
  week_starts_on: number;
  changed_at: Date | null;
  changed_by: string | null;
  is_demo: boolean;
  envelope_key: string;
  /** how people are told where neither step nor person says it */
  reached_by: Way;
  has_chat: boolean;
  manager_extension_days: number | null;
  unanswered_days: number;
}

export const getSettings = (db: Queryable): Promise<SettingsRow> => oneRow<SettingsRow>(db, GET_SETTINGS);
export const lockSettings = (db: Client): Promise<SettingsRow> => oneRow<SettingsRow>(db, LOCK_SETTINGS);

const SAVE_SETTINGS = `
update settings
set
  version = version + 1, organisation = $1::text, house_zone = $2::text, house_place = $3::text, sender_name = $4::text, sender_address = $5::text,
  reply_to = $6::text, window_from = $7::text, window_to = $8::text, daily_limit = $9::integer, tolerance_minutes = $10::integer,
  settle_minutes = $11::integer, grace_days = $12::integer, link_days = $13::integer, week_starts_on = $14::integer,
  changed_at = $15::timestamptz, changed_by = $16::text, replies_to_trainer = $17::boolean, inbound_address = $18::text,
  frame_color = $19::text, imprint = $20::text, logo_embedded = $21::boolean, language = $22::text, reached_by = $23::text, manager_extension_days = $24::integer, unanswered_days = $25::integer
`;

export const putSettings = (db: Client, draft: SettingsDraft, at: Instant, byWhom: string): Promise<unknown> =>
  db.query(SAVE_SETTINGS, [
    draft.organisation,
    draft.zone,
    draft.place,
    draft.senderName,
    draft.senderAddress.toLowerCase(),
    draft.replyTo.toLowerCase(),
    draft.windowFrom,
    draft.windowTo,
    draft.dailyLimit,
    draft.toleranceHours * 60,
    draft.settleMinutes,
    draft.graceDays,
    draft.linkDays,
    draft.weekStartsOn,
    new Date(at),
    byWhom,
    draft.repliesToTrainer,
    draft.inboundAddress?.toLowerCase() ?? null,
    draft.frameColor.toUpperCase(),
    draft.imprint,
    draft.logoEmbedded,
    draft.language,
    draft.by,
    draft.managerExtendDays,
    draft.unansweredDays,
  ]);

const LIST_OPEN = 'select id from assignments where closed_by is null';

export const listOpenAssignments = async (db: Client): Promise<string[]> => (await rows<{ id: string }>(db, LIST_OPEN)).map(({ id }) => id);

const PLACE_ON_DAYS = `
update notices
set on_day = (at at time zone $1::text)::date
where on_day <> (at at time zone $1::text)::date
`;

/** Puts every notice on its day of a zone. */
export const placeOnDays = (db: Client, zone: string): Promise<unknown> => db.query(PLACE_ON_DAYS, [zone]);
