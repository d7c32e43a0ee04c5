import { z } from 'zod';
import { Id, Line } from '../common.ts';

export const ROLES = ['administrator', 'trainer', 'manager', 'employee', 'auditor'] as const;
export const Role = z.enum(ROLES);
export type Role = z.infer<typeof Role>;

export const Account = z.object({ id: Id, role: Role, name: z.string(), email: z.string(), personId: Id.nullable() });
export type Account = z.infer<typeof Account>;

/** GET /api/session */
export const Session = z.object({
  account: Account.nullable(),
  /** sent back as the header x-csrf-token by every request that changes something */
  csrf: z.string().nullable(),
  isDemo: z.boolean(),
  organisation: z.string(),
  /** the zone in which the administrator's pages tell time */
  zone: z.string(),
  place: z.string(),
  /** the first day of a week in calendars: 1 (Monday) … 7 (Sunday) */
  weekStartsOn: z.number().int().min(1).max(7),
  /** what the sign-in service is called where there is one (OpenID Connect) */
  elsewhere: z.string().nullable(),
});
export type Session = z.infer<typeof Session>;

/** POST /api/session */
/** A code of a second factor as somebody types it, or a spare one. */
const FactorCode = z.string().trim().min(1, 'expected a code').max(40);

export const SignIn = z.object({
  email: z.string().min(1).max(320),
  password: z.string().min(1).max(1024),
  code: FactorCode.nullable().default(null),
});
export type SignIn = z.infer<typeof SignIn>;

const Password = z.string().min(12, 'expected at least 12 characters').max(1024, 'expected at most 1,024 characters');

/** POST /api/session/link: whoever has an account, or people below them, gets a link by mail */
export const LinkRequest = z.object({ email: z.string().trim().min(1, 'expected a mail address').max(320) });

/** GET /api/session/keys/:key: what a link that came by mail opens; POST opens it, once */
export interface KeyView {
  purpose: 'invitation' | 'password' | 'sign-in';
  name: string;
  email: string;
  organisation: string;
}
export const KeyUse = z.object({ password: Password.nullable().default(null), code: FactorCode.nullable().default(null) });

/** PUT /api/account/password */
export const PasswordChange = z.object({ current: z.string().max(1024), password: Password });

/** GET /api/session/elsewhere: leads to the sign-in service, and from there back to a page of ours */
export const ElsewhereQuery = z.object({
  back: z
    .string()
    .max(2_000)
    .regex(/^\/(?![/\\])/, 'expected a page of Nudrik')
    .nullable()
    .default(null),
  /** ask who it is even of somebody who is signed in there: another one */
  as: z.literal('another').nullable().default(null),
});

/** GET /api/account/second-factor */
export interface FactorState {
  isOn: boolean;
  /** how many spare codes are left */
  spareCodes: number;
}
/** POST /api/account/second-factor begins, asking for the password once more; DELETE switches it off */
export const FactorAsk = z.object({ password: z.string().min(1, 'expected your password').max(1024) });
export interface FactorSetup {
  /** as it is typed into an app, in groups of four */
  secret: string;
  /** the same as a picture that an app reads: a data address */
  picture: string;
}
/** PUT /api/account/second-factor switches it on by a first code */
export const FactorConfirm = z.object({ code: FactorCode });

/** GET /api/account/sessions */
export interface SessionRow {
  id: string;
  begunAt: string;
  seenAt: string;
  /** "Firefox on Linux" */
  browser: string;
  address: string;
  isThis: boolean;
}

/** POST /api/accounts: invites by mail */
export const AccountInvite = z.object({
  email: z
    .email('expected a mail address')
    .max(320)
    .transform((text) => text.toLowerCase()),
  name: Line(200, 'expected a name'),
  role: Role,
});
export type AccountInvite = z.infer<typeof AccountInvite>;
export interface InviteResult {
  id: string;
  isSent: boolean;
  words: string;
}

/** PATCH /api/accounts/:id */
export const AccountChange = z.object({ role: Role });
export type AccountChange = z.infer<typeof AccountChange>;

/** left: its person has left, so it opens nothing; lapsed: invited, and the link has run out */
export type AccountState = 'active' | 'invited' | 'lapsed' | 'ended' | 'left';

/** GET /api/accounts */
export interface AccountRow {
  id: string;
  name: string;
  email: string;
  role: Role;
  person: { id: string; name: string } | null;
  state: AccountState;
  /** when somebody last signed in */
  seenAt: string | null;
  hasSecondFactor: boolean;
  /** an employee with people below them is a manager by that */
  entersAsManager: boolean;
}
export interface AccountsView {
  accounts: AccountRow[];
  record: { at: string; byWhom: string; name: string; words: string }[];
}

/** POST /api/session/demo */
export const DemoSignIn = z.object({ accountId: Id });

/** GET /api/demo/accounts */
export const DemoAccount = Account.extend({ about: z.string() });
export type DemoAccount = z.infer<typeof DemoAccount>;
