import { createTransport, type SendMailOptions } from 'nodemailer';

/** Writes a message and sends it nowhere. */
const composer = createTransport({ streamTransport: true, buffer: true, newline: 'unix' });

/** `From sender Tue Mar  3 08:00:00 2026`, in UTC: how a message begins in an mbox (RFC 4155). */
function fromLine(sender: string, at: Date): string {
  const [weekday, day, month, year] = at.toUTCString().replace(',', '').split(' ');
  return `From ${sender} ${weekday} ${month} ${String(Number(day)).padStart(2)} ${at.toISOString().slice(11, 19)} ${year}`;
}

/** A mail as a file of its own (RFC 5322), with the lines that mail has. */
export async function emlOf(at: Date, mail: SendMailOptions): Promise<Buffer> {
  const written = await composer.sendMail({ ...mail, date: at });
  return Buffer.from((written.message as Buffer).toString('latin1').replace(/\r?\n/g, '\r\n'), 'latin1');
}

/** A mail (RFC 5322) as an entry of an mbox (RFC 4155): lines that begin with From are quoted as mboxrd does. */
export async function mboxEntry(sender: string, at: Date, mail: SendMailOptions): Promise<Buffer> {
  const written = await composer.sendMail({ ...mail, date: at });
  const eml = (written.message as Buffer)
    .toString('latin1')
    .replace(/\r\n/g, '\n')
    .replace(/^(>*From )/gm, '>$1');
  return Buffer.from(`${fromLine(sender.replace(/\s/g, '_'), at)}\n${eml}${eml.endsWith('\n') ? '' : '\n'}\n`, 'latin1');
}
