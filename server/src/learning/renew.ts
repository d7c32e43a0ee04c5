import { countTry } from '../access/sessions.ts';
import { addressOf, newToken, signedToken } from '../access/personal-link.ts';
import { findIdByLink, lockLink, putLink } from '../assignments/assignments.repo.ts';
import { oneRow, transaction } from '../db/db.ts';
import type { Deps } from '../deps.ts';
import { sendHouseMail } from '../messages/post.ts';
import { Refused } from '../refusal.ts';

const GET_ADDRESSEE = `
select p.name, p.email, c.title
from assignments a
join people p on p.id = a.person_id
join courses c on c.id = a.course_id
where a.id = $1::bigint
`;

/**
 * Ends a personal link and sends its own person another: to their address, whoever asked. Messages that are still to come lead
 * by the new one. Where the mail server does not take the mail, the old link stays. Nothing is locked while it is sent.
 */
export async function renewLink(deps: Deps, link: string, from: string): Promise<{ words: string }> {
  const { key, baseUrl } = deps.settings;
  const id = await findIdByLink(deps.db, key, link, deps.clock.now());
  if (id === null) throw new Refused('wrong-link');
  if (await countTry(deps.db, `link of ${id}`, from)) throw new Refused('too-many-tries');
  const fresh = newToken();
  const { former, name, email, title } = await transaction(deps.db, async (client) => {
    const former = await lockLink(client, id);
    // whoever asks twice at once gets one
    if ((await findIdByLink(client, key, link, deps.clock.now())) !== id) throw new Refused('wrong-link');
    await putLink(client, id, { token: fresh, former_link: null }, former.token);
    return { former, ...(await oneRow<{ name: string; email: string; title: string }>(client, GET_ADDRESSEE, [id])) };
  });
  const handover = await sendHouseMail(deps, {
    to: email,
    toName: name,
    subject: `Your new link into ${title}`,
    paragraphs: [
      `Somebody, probably you, asked for a new link into ${title}. It is yours alone: whoever has it acts in your name.`,
      'The link that you had before opens nothing any more.',
    ],
    link: { words: 'Go to the course', url: addressOf(baseUrl, { kind: 'go', token: signedToken(key, 'go', fresh) }) },
  });
  if (handover.outcome !== 'accepted') {
    await putLink(deps.db, id, former, fresh);
    throw new Refused('out-of-order', 'The mail server does not take the mail just now; your link stays as it is. Try again later.');
  }
  return { words: 'A new link is on its way to your address. This one has ended.' };
}
