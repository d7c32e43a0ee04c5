import { readerOf, repliesRuleOf, repliesToOf, type SenderRule } from '@nudrik/core';
import type { House } from '../house/house.ts';

/** Of a course: its owner `o`, who may be nobody, and who its messages come from by its plan `l`; $2 is today. */
export const OWNER_COLUMNS = `
  o.name as owner, o.email as owner_email, coalesce(is_here(o.left_on, $2::date) and o.email is not null and o.address_state <> 'bounced', false) as owner_reads,
  l.sender
`;
export interface OwnerFacts {
  owner: string | null;
  owner_email: string | null;
  owner_reads: boolean;
  sender: SenderRule | null;
}

/** Who reads what is written about a course, where that can be promised by name. */
export const replyReader = (house: House, { owner, owner_email, owner_reads, sender }: OwnerFacts): string | null =>
  readerOf(repliesRuleOf(house, repliesToOf(sender)), owner === null ? null : { name: owner, email: owner_email, reads: owner_reads }).reader; // prettier-ignore
