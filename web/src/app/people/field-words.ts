/** Fields of a person as a page names them. */
export const FIELD_WORDS: Record<string, string> = {
  personnelNumber: 'personnel number', managerEmail: 'manager', joinedOn: 'joined', leftOn: 'left', email: 'e-mail',
}; // prettier-ignore
