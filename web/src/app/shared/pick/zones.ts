import { zoneWords } from '@nudrik/core';
import type { Choice } from './select.ts';

/** Every time zone by its name; `UTC` is not among those that browsers list. */
export const zoneChoices = (): Choice[] =>
  ['UTC', ...Intl.supportedValuesOf('timeZone').filter((zone) => zone !== 'UTC')].map((zone) => ({
    value: zone,
    label: zone === 'UTC' ? zone : `${zone} (${zoneWords(zone)})`,
  }));
