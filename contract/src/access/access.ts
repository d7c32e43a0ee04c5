import { z } from 'zod';
import { Id } from '../common.ts';

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
});
export type Session = z.infer<typeof Session>;

/** POST /api/session */
export const SignIn = z.object({ email: z.string().min(1).max(320), password: z.string().min(1).max(1024) });
export type SignIn = z.infer<typeof SignIn>;

/** POST /api/session/demo */
export const DemoSignIn = z.object({ accountId: Id });

/** GET /api/demo/accounts */
export const DemoAccount = Account.extend({ about: z.string() });
export type DemoAccount = z.infer<typeof DemoAccount>;
