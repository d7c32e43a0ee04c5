import type { Express } from 'express';
import { createServer, request as httpRequest, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it, test } from 'vitest';
import type { StoredFile } from '@nudrik/contract';
import { createApp } from '../app.ts';
import { openSession } from '../access/sessions.ts';
import { signedToken } from '../access/personal-link.ts';
import { oneRow, rows } from '../db/db.ts';
import { openTestHouse, type TestHouse } from '../testing.ts';
import { makeBox, makeDocx, makeManifest, makeMp4, makePdf, makeZip, PIXEL } from './made-files.ts';
import { forgetUploads } from './uploads.repo.ts';

/** Files that come bit by bit over HTTP, are looked at, and are served to readers. */
let house: TestHouse;
let app: Express;
let server: Server;
let base = '';
const heads: Record<string, Record<string, string>> = {};

async function account(name: string, role: string): Promise<void> {
  const { id } = await oneRow<{ id: string }>(
    house.db,
    'insert into accounts (email, name, role) values ($1::text, $2::text, $3::text) returning id',
    [`${name}@orlasund.example`, name, role],
  );
  const { token, csrf } = await openSession(house.db, id, 24, { agent: '', address: '', now: house.clock.at });
  heads[name] = { cookie: `nudrik_session=${token}`, 'x-csrf-token': csrf };
}

beforeAll(async () => {
  house = await openTestHouse();
  app = createApp(house.deps, null);
  server = createServer(app);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  await account('tora', 'trainer');
  await account('sigrid', 'administrator');
  await account('aud', 'auditor');
});
afterAll(async () => {
  server.closeAllConnections();
  server.close();
  await house.close();
});
beforeEach(() => house.db.query('delete from uploads'));

const TUS = { 'tus-resumable': '1.0.0' };
const ask = (path: string, init: RequestInit = {}, who = 'tora'): Promise<Response> => fetch(base + path, { ...init, headers: { ...heads[who], ...(init.headers as Record<string, string>) } }); // prettier-ignore

async function begin(name: string, size: number, who = 'tora'): Promise<{ status: number; at: string; text: string }> {
  const answer = await ask('/api/uploads', { method: 'POST', headers: { ...TUS, 'upload-length': String(size), 'upload-metadata': `filename ${Buffer.from(name).toString('base64')}` } }, who); // prettier-ignore
  return { status: answer.status, at: answer.headers.get('location') ?? '', text: await answer.text() };
}
const send = (at: string, offset: number, content: Buffer, who = 'tora'): Promise<Response> =>
  ask(at, { method: 'PATCH', headers: { ...TUS, 'upload-offset': String(offset), 'content-type': 'application/offset+octet-stream' }, body: new Uint8Array(content) }, who); // prettier-ignore
const offsetOf = async (at: string, who = 'tora'): Promise<number> => Number((await ask(at, { method: 'HEAD', headers: TUS }, who)).headers.get('upload-offset')); // prettier-ignore
const take = (at: string): Promise<Response> => ask(`${at}/taken`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{}' }); // prettier-ignore

async function upload(name: string, content: Buffer): Promise<Response> {
  const { at, status, text } = await begin(name, content.length);
  expect([status, text]).toEqual([201, '']);
  expect((await send(at, 0, content)).status).toBe(204);
  return take(at);
}
const uploaded = async (name: string, content: Buffer): Promise<StoredFile> => {
  const answer = await upload(name, content);
  const body = (await answer.json()) as StoredFile & { message: string };
  expect([answer.status, body.message]).toEqual([200, undefined]);
  return body;
};

describe('an upload', () => {
  it('comes bit by bit, and is taken once it is whole', async () => {
    const pdf = await makePdf(3);
    const { at } = await begin('Muster list.pdf', pdf.length);
    expect((await send(at, 0, pdf.subarray(0, 300))).headers.get('upload-offset')).toBe('300');
    const early = await take(at);
    expect([early.status, ((await early.json()) as { message: string }).message]).toEqual([409, expect.stringContaining('300 bytes of')]);
    expect(await offsetOf(at)).toBe(300);
    expect((await send(at, 300, pdf.subarray(300))).status).toBe(204);
    const file = (await (await take(at)).json()) as StoredFile;
    expect(file).toEqual({
      id: expect.any(String),
      name: 'Muster list.pdf',
      bytes: pdf.length,
      type: 'application/pdf',
      about: { pages: 3 },
    });
    // the answer was lost, and it is asked again
    expect(await (await take(at)).json()).toEqual(file);
    expect(Buffer.from(await (await ask(`/api/files/${file.id}`)).arrayBuffer())).toEqual(pdf);
  });

  it('goes on where the connection was cut', async () => {
    const content = Buffer.concat([makeMp4(makeBox('moov'), makeBox('mdat', Buffer.alloc(1_500_000, 7)))]);
    const { at } = await begin('Drill.mp4', content.length);
    // a request that says that all comes, and ends in its midst
    await new Promise<void>((resolve) => {
      const call = httpRequest(base + at, { method: 'PATCH', headers: { ...heads['tora'], ...TUS, 'upload-offset': '0', 'content-type': 'application/offset+octet-stream', 'content-length': String(content.length) } }); // prettier-ignore
      call.on('error', () => resolve());
      call.on('close', () => resolve());
      call.write(content.subarray(0, 900_000), () => setTimeout(() => call.destroy(), 50));
    });
    let came = 0;
    await expect.poll(async () => (came = await offsetOf(at)), { timeout: 10_000 }).toBeGreaterThan(500_000);
    expect(came).toBeLessThanOrEqual(900_000);
    // what is sent from elsewhere than where it stands is refused and changes nothing
    expect((await send(at, came - 10, content.subarray(came - 10))).status).toBe(409);
    // what was on its way when it was cut may still be kept: then it is asked again where it stands, as who uploads does
    await expect.poll(async () => (await send(at, (came = await offsetOf(at)), content.subarray(came))).status, { timeout: 10_000 }).toBe(204); // prettier-ignore
    const file = (await (await take(at)).json()) as StoredFile;
    expect(file).toMatchObject({ type: 'video/mp4', bytes: content.length });
    expect(Buffer.from(await (await ask(`/api/files/${file.id}`)).arrayBuffer()).equals(content)).toBe(true);
  });

  it('is nobody else’s', async () => {
    const { at } = await begin('A.txt', 5);
    for (const who of ['sigrid', 'aud']) expect((await send(at, 0, Buffer.from('hello'), who)).status, who).toBe(who === 'aud' ? 403 : 404);
    expect(await offsetOf(at)).toBe(0);
    expect((await fetch(base + at, { method: 'HEAD', headers: TUS })).status).toBe(401);
  });

  test.each([
    ['without a name', '', 5, 400],
    ['with a line break in its name', 'a\nb.txt', 5, 400],
    ['of more than any file may have', 'Film.mp4', 3 * 1024 ** 3, 413],
  ])('%s is not begun', async (_, name, size, status) => {
    expect((await begin(name, size)).status).toBe(status);
    expect(await rows(house.db, 'select 1 from uploads')).toEqual([]);
  });

  it('that nobody goes on with is forgotten, one that was taken stays', async () => {
    const { at } = await begin('Half.txt', 5);
    await send(at, 0, Buffer.from('hel'));
    const file = await uploaded('B.txt', Buffer.from('hello'));
    await house.db.query("update uploads set last_at = now() - interval '3 days'");
    await forgetUploads(house.db);
    expect(await rows(house.db, 'select 1 from uploads')).toEqual([]);
    expect(await rows(house.db, "select 1 from files where name = 'Half.txt'")).toEqual([]);
    expect((await ask(`/api/files/${file.id}`)).status).toBe(200);
  });

  it('leads nowhere by its name', async () => {
    expect(await uploaded('../../etc/passwd.txt', Buffer.from('x'))).toMatchObject({ name: 'passwd.txt' });
  });
});

const HTML = Buffer.from('<!doctype html><script>alert(1)</script>');
const external = (type: string): string => `<Relationship Id="r9" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/${type}" Target="https://elsewhere.example/x.png" TargetMode="External"/>`; // prettier-ignore
const text = '<w:p><w:r><w:t>Close the hatch.</w:t></w:r></w:p>';

describe('a file that is not what it should be is refused with a sentence, and nothing of it stays', () => {
  test.each<[string, string, () => Buffer | Promise<Buffer>, RegExp]>([
    ['a web page named as a PDF', 'list.pdf', () => HTML, /a web page, which may carry script/],
    ['an SVG drawing', 'plan.svg', () => Buffer.from('<svg xmlns="http://www.w3.org/2000/svg"><script>1</script></svg>'), /an SVG drawing/],
    ['a picture named as a PDF', 'list.pdf', () => PIXEL, /its name ends in \.pdf, and what stands in it is a PNG picture/],
    ['a program', 'setup.pdf', () => Buffer.concat([Buffer.from('MZ'), Buffer.alloc(200)]), /a program/],
    ['a broken PDF', 'list.pdf', async () => (await makePdf()).subarray(0, 120), /it is broken and cannot be shown/],
    ['a broken picture', 'p.png', () => PIXEL.subarray(0, 14), /the picture is broken|what this is cannot be told/],
    ['a DOCX with a picture from elsewhere', 'a.docx', () => makeDocx(text, external('image')), /fetches its image from elsewhere \(https:\/\/elsewhere\.example/],
    ['a DOCX with a template from elsewhere', 'a.docx', () => makeDocx(text, external('attachedTemplate')), /fetches its attachedTemplate/],
    ['an MP4 without an index', 'a.mp4', () => makeMp4(makeBox('mdat')), /has no index \(moov\)/],
    ['an MP4 that is cut off', 'a.mp4', () => makeMp4(makeBox('moov'), makeBox('mdat', Buffer.alloc(500))).subarray(0, 300), /cut off/],
    ['a zip without a manifest', 'a.zip', () => makeZip({ 'index.html': 'x' }), /no SCORM package: imsmanifest\.xml does not stand at its top/],
    ['a package whose page is not in it', 'a.zip', () => makeZip({ 'imsmanifest.xml': makeManifest('1.2', 'gone.html') }), /opens “gone\.html”, which is not in it/],
    ['a package that opens another site', 'a.zip', () => makeZip({ 'imsmanifest.xml': makeManifest('1.2', 'https://elsewhere.example/') }), /opens an address outside/],
    ['a package that leads out of itself', 'a.zip', () => makeZip({ 'imsmanifest.xml': makeManifest('1.2'), '../../etc/x': 'x' }), /(leads out of the zip|invalid relative path)/],
    ['a manifest with entities', 'a.zip', () => makeZip({ 'imsmanifest.xml': `<!DOCTYPE m [<!ENTITY a "b">]>${makeManifest('1.2')}`, 'index.html': 'x' }), /declares a document type/],
    ['a zip bomb', 'a.zip', () => makeZip({ 'imsmanifest.xml': makeManifest('1.2'), 'index.html': new Uint8Array(110 * 1024 * 1024) }), /unpacked it is too much/],
    ['captions that are none', 'a.vtt', () => Buffer.from('1\n00:01'), /its name ends in \.vtt, and what stands in it is a plain text/],
    ['nothing', 'a.txt', () => Buffer.alloc(0), /the file is empty/],
  ])('%s', async (_, name, make, words) => {
    const content = await make();
    const before = await rows(house.db, 'select id from files order by id');
    const { at } = await begin(name, content.length);
    if (content.length > 0) expect((await send(at, 0, content)).status).toBe(204);
    const answer = await take(at);
    expect([answer.status, ((await answer.json()) as { message: string }).message]).toEqual([422, expect.stringMatching(words)]);
    expect(await rows(house.db, 'select id from files order by id')).toEqual(before);
    expect(await rows(house.db, 'select 1 from package_files')).toEqual([]);
    expect((await take(at)).status).toBe(404);
  }); // prettier-ignore
});

describe('a file as it is read', () => {
  it('is given in parts, as players ask for them', async () => {
    const words = Buffer.from(Array.from({ length: 200_000 }, (_, i) => `line ${i}\n`).join(''));
    const { id } = await uploaded('long.txt', words);
    const part = async (range: string): Promise<[number, string | null, Buffer]> => {
      const answer = await ask(`/api/files/${id}`, { headers: { range } });
      return [answer.status, answer.headers.get('content-range'), Buffer.from(await answer.arrayBuffer())];
    };
    // over the seam of two parts
    const [from, to] = [512 * 1024 - 10, 512 * 1024 + 9];
    expect(await part(`bytes=${from}-${to}`)).toEqual([206, `bytes ${from}-${to}/${words.length}`, words.subarray(from, to + 1)]);
    expect((await part('bytes=-5'))[2].toString()).toBe(words.subarray(-5).toString());
    expect((await part(`bytes=${words.length}-`)).slice(0, 2)).toEqual([416, `bytes */${words.length}`]);
    expect((await part('bytes=a-b'))[0]).toBe(200);
  });

  it('runs nothing from where we are', async () => {
    const { id } = await uploaded('notes.txt', Buffer.from('plain words'));
    const { headers } = await ask(`/api/files/${id}`);
    expect(headers.get('content-security-policy')).toMatch(/default-src 'none'.*sandbox/);
    expect(headers.get('x-content-type-options')).toBe('nosniff');
  });

  it('is not one of an import or a proof, by asking for another number', async () => {
    const { id } = await oneRow<{ id: string }>(
      house.db,
      "insert into files (name, type, size) values ('roster.csv', 'text/csv', 0) returning id",
    );
    expect((await ask(`/api/files/${id}`)).status).toBe(404);
  });

  it('that is a picture is seen by whoever has its signed address, and by nobody else', async () => {
    const { id } = await uploaded('p.png', PIXEL);
    const good = await fetch(`${base}/api/pictures/${signedToken(house.deps.settings.key, 'picture', id)}`);
    expect([good.status, good.headers.get('content-type')]).toEqual([200, 'image/png']);
    expect((await fetch(`${base}/api/pictures/${id}${'x'.repeat(32)}`)).status).toBe(404);
    expect((await fetch(`${base}/api/pictures/${signedToken(house.deps.settings.key, 'go', id)}`)).status).toBe(404);
  });
});

describe('a DOCX', () => {
  it('becomes a page, with its pictures kept here', async () => {
    const heading = '<w:p><w:pPr><w:pStyle w:val="Heading1"/></w:pPr><w:r><w:t>Hatches</w:t></w:r></w:p>';
    const picture = '<w:p><w:r><w:drawing><wp:inline><a:graphic><a:graphicData><pic:pic><pic:blipFill><a:blip r:embed="r5"/></pic:blipFill></pic:pic></a:graphicData></a:graphic></wp:inline></w:drawing></w:r></w:p>'; // prettier-ignore
    const table = `<w:tbl><w:tr><w:tc>${text}</w:tc><w:tc>${text}</w:tc></w:tr></w:tbl>`;
    const rel =
      '<Relationship Id="r5" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/image" Target="media/p.png"/>';
    const styles = '<?xml version="1.0"?><w:styles xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main"><w:style w:type="paragraph" w:styleId="Heading1"><w:name w:val="Heading 1"/></w:style></w:styles>'; // prettier-ignore
    const link = '<Relationship Id="r7" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/styles" Target="styles.xml"/>'; // prettier-ignore
    const file = await uploaded(
      'Hatches.docx',
      makeDocx(heading + text + table + picture, rel + link + external('hyperlink'), {
        'word/media/p.png': PIXEL,
        'word/styles.xml': styles,
      }),
    );
    const answer = await ask(`/api/files/${file.id}/page`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: '{}' });
    const { html, left } = (await answer.json()) as { html: string; left: string[] };
    expect(html).toMatch(/^<h2>Hatches<\/h2><p>Close the hatch\.<\/p><table>.*<\/table><p><img src="\/api\/files\/\d+" \/><\/p>$/);
    expect(left).toEqual([]);
  });
});

describe('a package', () => {
  const page = '<html><head><title>T</title></head><body><script src="s.js"></script></body></html>';

  it.each(['1.2', '2004'] as const)('of SCORM %s is unpacked, and served where nothing of ours can be reached', async (edition) => {
    const file = await uploaded('drill.zip', makeZip({ 'imsmanifest.xml': makeManifest(edition), 'index.html': page, 's.js': 'x()' }));
    expect(file.about.package).toEqual({ edition, title: 'Man overboard', launch: 'index.html', files: 3 });
    const at = `${base}/api/packages/${signedToken(house.deps.settings.key, 'package', file.id)}`;
    const answer = await fetch(`${at}/index.html`);
    expect(answer.headers.get('content-security-policy')).toMatch(/^sandbox allow-scripts/);
    expect(answer.headers.get('content-security-policy')).not.toContain('allow-same-origin');
    expect(answer.headers.get('x-frame-options')).toBeNull();
    expect(await answer.text()).toContain('<head><script src="/api/packages/api.js"></script><title>');
    expect((await fetch(`${at}/s.js`)).headers.get('content-type')).toMatch(/javascript/);
    expect((await fetch(`${at}/..%2F..%2Fx`)).status).toBe(404);
    expect((await fetch(`${base}/api/packages/${file.id}/index.html`)).status).toBe(404);
  });
});
