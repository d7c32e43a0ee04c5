import type { ServerResponse } from 'node:http';

type Answer = Pick<ServerResponse, 'setHeader'> & { end(body: Buffer): unknown };

/** A media type (RFC 9110, 8.3.1), with a character set at the most. */
export const TYPE = /^[\w.+-]{1,80}\/[\w.+-]{1,80}(; ?charset=[\w-]{1,30})?$/;

/** The heads of an answer that is a file: what it is, what it is called, and that nobody makes a page of ours of it. */
export function headFile(res: Answer, name: string, type: string, place: 'inline' | 'attachment' = 'attachment'): void {
  // what was stored before its rules were may be no type and no name
  res.setHeader('content-type', TYPE.test(type) ? type : 'application/octet-stream');
  res.setHeader('content-disposition', `${place}; filename*=UTF-8''${encodeURIComponent(name.replace(/\p{Surrogate}/gu, '_'))}`);
  res.setHeader('x-content-type-options', 'nosniff');
}

/** Sends a stored file as a download. */
export function sendFile(res: Answer, { name, type, content }: { name: string; type: string; content: Buffer }): void {
  headFile(res, name, type);
  res.end(content);
}
