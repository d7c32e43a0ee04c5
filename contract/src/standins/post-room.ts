import { z } from 'zod';

/** How an address answers: `ok` takes mail, `bounce` refuses for good (550), `full` for now (452), `slow` answers late. */
export const Behaviour = z.enum(['ok', 'bounce', 'full', 'slow']);
export type Behaviour = z.infer<typeof Behaviour>;
export const BehaviourChange = z.object({ address: z.email('expected a mail address'), behaviour: Behaviour });

/** PUT /api/post-room/server: the whole server up or down */
export const ServerChange = z.object({ isUp: z.boolean() });

export interface PostRoomMail {
  id: string;
  to: string;
  from: string;
  subject: string;
  receivedAt: string;
  bytes: number;
}

export interface PostRoomView {
  isUp: boolean;
  mails: PostRoomMail[];
  total: number;
  behaviours: { address: string; behaviour: Behaviour }[];
}

export interface PostRoomLetter extends PostRoomMail {
  html: string | null;
  text: string | null;
  headers: { name: string; value: string }[];
}
