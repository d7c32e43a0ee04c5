import { countTry } from '../access/sessions.ts';
import { findIdByToken, newToken } from '../assignments/assignments.repo.ts';
import { maybeRow } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { sendHouseMail } from '../messages/post.ts';
import { Refused } from '../refusal.ts';

const CHANGE = `
update assignments a
set token = $3::text
from people p, courses c
where a.id = $1::bigint
  and a.token = $2::text
  and p.id = a.person_id
  and c.id = a.course_id
returning p.name, p.email, c.title
`;

/**
 * Ends a personal link and sends its own person another: to their address, whoever asked. Messages that are still to come lead
 * by the new one. Where the mail server does not take the mail, the old link stays. Nothing is locked while it is sent.
 */
export async function renewLink(deps: Deps, token: string, from: string): Promise<{ words: string }> {
  const id = await findIdByToken(deps.db, token, deps.clock.now());
  if (id === null) throw new Refused('wrong-link');
  if (await countTry(deps.db, `link of ${id}`, from)) throw new Refused('too-many-tries');
  const fresh = newToken();
  const changed = await maybeRow<{ name: string; email: string; title: string }>(deps.db, CHANGE, [id, token, fresh]);
  if (!changed) throw new Refused('wrong-link'); // whoever asks twice at once gets one
  const { name, email, title } = changed;
  const handover = await sendHouseMail(deps, {
    to: email,
    toName: name,
    subject: `Your new link into ${title}`,
    paragraphs: [
      `Somebody, probably you, asked for a new link into ${title}. It is yours alone: whoever has it acts in your name.`,
      'The link that you had before opens nothing any more.',
    ],
    link: { words: 'Go to the course', url: `${deps.settings.baseUrl}/go/${fresh}` },
  });
  if (handover.outcome !== 'accepted') {
    await maybeRow(deps.db, CHANGE, [id, fresh, token]);
    throw new Refused('out-of-order', 'The mail server does not take the mail just now; your link stays as it is. Try again later.');
  }
  return { words: 'A new link is on its way to your address. This one has ended.' };
}
