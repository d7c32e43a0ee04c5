import { Webhook } from 'standardwebhooks';

/** Signed webhooks (Standard Webhooks 1.0): both directions of the chat are signed with one secret. */
const webhook = (secret: string): Webhook => new Webhook(secret, secret.startsWith('whsec_') ? {} : { format: 'raw' });

/** The headers that a call is known by. @param id stays the same over tries @param at by the real clock: the other side looks at its own */
export const signCall = (secret: string, id: string, body: string, at: Date): Record<string, string> => ({
  'webhook-id': id,
  'webhook-timestamp': String(Math.floor(at.getTime() / 1000)),
  'webhook-signature': webhook(secret).sign(id, at, body),
});

/** Why a call is not believed, in the library's words, or null where it is signed with our secret within the last five minutes. */
export function callFault(secret: string, headers: Readonly<Record<string, string | string[] | undefined>>, body: string): string | null {
  try {
    webhook(secret).verify(body, headers as Record<string, string>, { jsonParse: false });
    return null;
  } catch (error) {
    return (error as Error).message;
  }
}
