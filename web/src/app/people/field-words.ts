import { dayOf, tellDate, tellLanguage } from '@nudrik/core';

/** Fields of a person as a page names them. */
export const FIELD_WORDS: Record<string, string> = {
  personnelNumber: 'personnel number',
  managerEmail: 'manager',
  joinedOn: 'joined',
  leftOn: 'left',
  email: 'e-mail',
  chatName: 'chat name',
};

export const tellField = (field: string): string => FIELD_WORDS[field] ?? field;

/** A field's value as a page shows it: dates in words, nothing as such. */
export function tellValue(field: string, value: string | null): string {
  if (value === null || value === '') return 'nothing';
  if (field === 'language') return tellLanguage(value);
  return field === 'joinedOn' || field === 'leftOn' ? tellDate(dayOf(value)) : value;
}
