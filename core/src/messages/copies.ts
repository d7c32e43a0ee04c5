import { tellList } from '../time/words.ts';
import type { Role } from '../people/role.ts';

/** Who is told of what a step sent: by one summary a day, or of each message by itself. */
export interface Copies {
  to: readonly Role[];
  isEach: boolean;
}

/** In words, for comparing. */
export const tellCopies = ({ to, isEach }: Copies, tellRole: (role: Role) => string): string =>
  `copies to ${tellList(to.map(tellRole))}, ${isEach ? 'of each message' : 'as one summary a day'}`;

/** How many mails copies cause, at the most. @param notices of the step that are planned; days that they fall on at the most */
export const mailsOfCopies = ({ to, isEach }: Copies, notices: number, days: number): number => to.length * (isEach ? notices : Math.min(notices, days)); // prettier-ignore
