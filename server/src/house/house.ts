import {
  dateOf,
  DEFAULT_SETTINGS,
  MINUTE,
  Zone,
  type Frame,
  type Instant,
  type Language,
  type LocalDate,
  type SenderHouse,
  type Settings,
} from '@nudrik/core';
import type { Queryable } from '../db/db.ts';
import { getSettings } from './settings.repo.ts';

/** What the organisation set, as the rest of the house reads it: sender, zone, sending rules. */
export interface House {
  organisation: string;
  zone: string;
  place: string;
  senderName: string;
  /** what messages are written in where they say nothing else */
  language: Language;
  senderAddress: string;
  replyTo: string;
  /** replies go to the trainer of the course, where there is one who reads mail */
  repliesToTrainer: boolean;
  /** where replies come in to be kept; null where they go past Nudrik */
  inboundAddress: string | null;
  /** what stands around every message: the colour of buttons, postal words, the file of a picture */
  frame: { color: string; imprint: string | null; logo: string | null; isEmbedded: boolean };
  listId: string;
  isDemo: boolean;
  weekStartsOn: number;
  /** signs what delivery reports are known by; it never leaves the server */
  envelopeKey: string;
  sending: Settings;
}

export async function getHouse(db: Queryable): Promise<House> {
  const row = await getSettings(db);
  return {
    organisation: row.organisation,
    zone: row.house_zone,
    place: row.house_place,
    senderName: row.sender_name,
    language: row.language,
    senderAddress: row.sender_address,
    replyTo: row.reply_to,
    repliesToTrainer: row.replies_to_trainer,
    inboundAddress: row.inbound_address,
    frame: { color: row.frame_color, imprint: row.imprint, logo: row.logo_id, isEmbedded: row.logo_embedded },
    listId: row.list_id,
    isDemo: row.is_demo,
    weekStartsOn: row.week_starts_on,
    envelopeKey: row.envelope_key,
    sending: {
      ...DEFAULT_SETTINGS,
      sendWindow: { from: row.window_from, to: row.window_to },
      dailyLimit: row.daily_limit,
      tolerance: row.tolerance_minutes * MINUTE,
      settle: row.settle_minutes * MINUTE,
      hasChat: row.has_chat,
      by: row.reached_by,
    },
  };
}

/** Who messages come from where neither course nor step says it. */
export const senderHouse = ({ senderName, language, replyTo, repliesToTrainer }: House): SenderHouse => ({
  senderName,
  language,
  replyTo,
  repliesToTrainer,
});

/** The date of a moment where the house is. */
export const houseDay = ({ zone }: Pick<House, 'zone'>, at: Instant): LocalDate => dateOf(Zone.of(zone).dayAt(at));

/** Where a picture of a house is fetched by mail programs, and by our own pages. @param baseUrl empty for our own pages */
export const logoAddress = (baseUrl: string, id: string): string => `${baseUrl}/api/brand/${id}`;

/** What stands around every message, as it is drawn. */
export const frameOf = ({ frame, organisation }: Pick<House, 'frame' | 'organisation'>, baseUrl: string): Frame => ({
  color: frame.color,
  imprint: frame.imprint,
  logo: frame.logo && logoAddress(baseUrl, frame.logo),
  alt: organisation,
  pictures: logoAddress(baseUrl, ''),
});
