import { LinkToken } from '@nudrik/contract';
import { Refused } from '../refusal.ts';
import type { Call, Route } from '../route.ts';
import { decline, declineView, haveAgain } from './declines.ts';

const linkOf = ({ req }: Call): string => {
  const link = LinkToken.safeParse(req.params['token']);
  if (!link.success) throw new Refused('wrong-link', link.error.issues[0]!.message);
  return link.data;
};

/**
 * Where the link at the end of a message that may be declined leads. Mail programs decline by a post of their own (RFC 8058) that
 * carries nothing of ours but the link; looking at it declines nothing.
 */
export const declineRoutes: Route[] = [
  { method: 'get', path: '/api/declines/:token', access: 'public', handle: (call) => declineView(call.deps, linkOf(call)) },
  { method: 'post', path: '/api/declines/:token', access: 'public', takes: 'file', handle: (call) => decline(call.deps, linkOf(call)) },
  { method: 'delete', path: '/api/declines/:token', access: 'public', takes: 'file', handle: (call) => haveAgain(call.deps, linkOf(call)) },
];
