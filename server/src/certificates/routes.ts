import {
  AddCertificate,
  CertificatesFile,
  CertificatesQuery,
  DesignLook,
  DesignRetiring,
  DesignSave,
  FileHash,
  HandoutQuery,
  HouseDesign,
  LinkToken,
  NewDesign,
  RevokeRequest,
  RunningOutQuery,
} from '@nudrik/contract';
import { parseSerial } from '@nudrik/core';
import { z } from 'zod';
import { headFile, sendFile } from '../answer-file.ts';
import { findFile } from '../files/files.repo.ts';
import { nowOrLater } from '../work/routes.ts';
import type { Deps } from '../deps.ts';
import { act, bytesOf, DONE, get, idOf, OFFICE, parse, type Call, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from '../people/today.ts';
import { achievement, badgeStatus, issuerProfile, makeBadge, publicKey } from './badge.ts';
import { addCertificate } from './by-hand.ts';
import {
  chooseHouseDesign,
  createDesign,
  designPeople,
  designRows,
  designVersion,
  designView,
  lookAtDesign,
  saveDesign,
  setDesignRetired,
} from './designs.ts';
import { addCertificatePicture, findCertificatePicture } from './pictures.ts';
import { reissueCertificate } from './reissue.ts';
import { runningOut } from './running-out.repo.ts';
import { revokeCertificate } from './revoke.ts';
import { endShown, findShown, shownCertificate } from './shown.ts';
import { certificatePdf, findCertificate, listCertificates, verify, verifyFile, type CertificateDbRow } from './certificates.repo.ts';

export function sendPdf(res: Parameters<typeof headFile>[0], pdf: Buffer, serial: string): void {
  headFile(res, `certificate-${serial}.pdf`, 'application/pdf', 'inline');
  res.end(pdf);
}

/** What somebody opens of a certificate: its PDF, or what was kept to show that others issued it. @throws Refused where there is neither */
export async function openCertificate(deps: Deps, res: Call['res'], row: CertificateDbRow): Promise<void> {
  const pdf = await certificatePdf(deps.db, row.serial, deps.settings.baseUrl);
  if (pdf) return sendPdf(res, pdf, row.serial);
  const proof = row.proof_id === null ? null : await findFile(deps.db, row.proof_id, ['proof']);
  if (!proof) throw new Refused('not-found', `${row.issuer} issued this certificate, and nothing that shows it was kept here.`);
  sendFile(res, proof);
}

function serialOf({ req }: Call): string {
  const serial = parseSerial(String(req.params['serial']));
  if (!serial) throw new Refused('not-found', 'There is no such certificate.');
  return serial;
}
function shownOf(req: Call['req']): string {
  const link = LinkToken.safeParse(req.params['link']);
  if (!link.success) throw new Refused('wrong-link', 'Nothing is shown here, or not any more: ask whoever sent you the link.');
  return link.data;
}

export const certificateRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/certificates',
    access: OFFICE,
    handle: async ({ deps, req }) => listCertificates(deps.db, parse(CertificatesQuery, req.query), await houseToday(deps)),
  },
  get('/api/certificates/running-out', async ({ deps, req }) =>
    runningOut(deps.db, parse(RunningOutQuery, req.query), await houseToday(deps)),
  ),
  {
    method: 'get',
    path: '/api/verify/:serial',
    access: 'public',
    handle: async ({ deps, req }) => verify(deps.db, String(req.params['serial']), await houseToday(deps)),
  },
  {
    method: 'get',
    path: '/api/verify/file/:hash',
    access: 'public',
    handle: async ({ deps, req }) => verifyFile(deps.db, parse(FileHash, req.params['hash']), await houseToday(deps)),
  },
  act('post', '/api/certificates', ({ deps, req, account }) => addCertificate(deps, parse(AddCertificate, req.body), account!.name)),
  act('post', '/api/certificates/:serial/revoke', async (call) => {
    await revokeCertificate(call.deps, serialOf(call), parse(RevokeRequest, call.req.body).reason, call.account!.name);
    return DONE;
  }),
  act('post', '/api/certificates/:serial/reissue', (call) =>
    reissueCertificate(call.deps, serialOf(call), parse(RevokeRequest, call.req.body).reason, call.account!.name),
  ),
  act('delete', '/api/certificates/:serial/shown', async (call) => {
    await endShown(call.deps, serialOf(call), call.account!.name);
    return DONE;
  }),
  {
    method: 'post',
    path: '/api/certificates/file',
    access: OFFICE,
    handle(call) {
      const request = parse(CertificatesFile, call.req.body);
      const words = `Certificates as ${request.as === 'pdf' ? 'one PDF' : 'a zip'}`;
      // always in the background: a file of one is ready as soon as it is asked for
      return nowOrLater(call, true, { kind: 'certificates-file', words, input: request }, () => Promise.resolve());
    },
  },
  get('/api/certificates/:serial/proof', async (call) => {
    const row = await findCertificate(call.deps.db, serialOf(call));
    if (!row?.proof_id) throw new Refused('not-found', 'No proof was kept with this certificate.');
    await openCertificate(call.deps, call.res, row);
    return undefined;
  }),
  get('/api/certificate-designs', ({ deps }) => designRows(deps)),
  get('/api/certificate-designs/people', ({ deps }) => designPeople(deps)),
  get('/api/certificate-designs/:id', (call) => designView(call.deps.db, idOf(call))),
  get('/api/certificate-designs/:id/versions/:version', (call) =>
    designVersion(call.deps.db, idOf(call), parse(z.coerce.number().int().min(1).max(1_000_000), call.req.params['version'])),
  ),
  // nothing is stored: whoever reads may look
  { method: 'post', path: '/api/certificate-designs/preview', access: OFFICE, handle: ({ deps, req }) => lookAtDesign(deps, parse(DesignLook, req.body)) }, // prettier-ignore
  act('post', '/api/certificate-designs', ({ deps, req, account }) => createDesign(deps, parse(NewDesign, req.body), account!.name)),
  act('put', '/api/certificate-designs/house', async ({ deps, req, account }) => {
    await chooseHouseDesign(deps, parse(HouseDesign, req.body).id, account!.name);
    return designRows(deps);
  }),
  act('put', '/api/certificate-designs/:id', (call) =>
    saveDesign(call.deps, idOf(call), parse(DesignSave, call.req.body), call.account!.name),
  ),
  act('post', '/api/certificate-designs/:id/retire', (call) =>
    setDesignRetired(call.deps, idOf(call), parse(DesignRetiring, call.req.body).isRetired, call.account!.name),
  ),
  act(
    'post',
    '/api/certificate-pictures',
    (call) => addCertificatePicture(call.deps, { name: parse(HandoutQuery, call.req.query).name, content: bytesOf(call) }),
    'file',
  ),
  // `logo` is the picture that stands above every message
  get('/api/certificate-pictures/:id', async (call) => {
    const isLogo = call.req.params['id'] === 'logo';
    const { name, type, content } = await findCertificatePicture(call.deps.db, isLogo ? null : idOf(call));
    headFile(call.res, name, type, 'inline');
    call.res.end(content);
    return undefined;
  }),
  { method: 'get', path: '/api/shown/:link', access: 'public', handle: ({ deps, req }) => shownCertificate(deps, shownOf(req)) },
  {
    method: 'get',
    path: '/api/shown/:link/badge',
    access: 'public',
    async handle({ deps, req, res }) {
      const row = await findShown(deps, shownOf(req));
      headFile(res, `badge-${row.serial}.jwt`, 'application/vc+jwt', 'attachment');
      res.end(await makeBadge(deps, row));
      return undefined;
    },
  },
  {
    method: 'get',
    path: '/api/shown/:link/pdf',
    access: 'public',
    async handle({ deps, req, res }) {
      const row = await findShown(deps, shownOf(req));
      sendPdf(res, (await certificatePdf(deps.db, row.serial, deps.settings.baseUrl))!, row.serial);
      return undefined;
    },
  },
  { method: 'get', path: '/api/badges/key', access: 'public', handle: ({ deps }) => Promise.resolve(publicKey(deps)) },
  { method: 'get', path: '/.well-known/jwks.json', access: 'public', handle: ({ deps }) => Promise.resolve({ keys: [publicKey(deps)] }) },
  { method: 'get', path: '/api/badges/issuer', access: 'public', handle: ({ deps }) => issuerProfile(deps) },
  { method: 'get', path: '/api/badges/achievements/:id', access: 'public', handle: (call) => achievement(call.deps, idOf(call)) },
  { method: 'get', path: '/api/badges/:serial/status', access: 'public', handle: (call) => badgeStatus(call.deps, serialOf(call)) },
  {
    method: 'get',
    path: '/api/certificates/:serial/pdf',
    access: 'signed-in',
    async handle({ deps, req, res, account }) {
      const serial = parseSerial(String(req.params['serial']));
      const row = serial && (await findCertificate(deps.db, serial));
      // employees and managers fetch their own; the office fetches any
      const isOwn = row && account!.personId === row.person_id;
      if (!row || (!isOwn && !OFFICE.includes(account!.role))) throw new Refused('not-found', 'There is no such certificate among yours.');
      await openCertificate(deps, res, row);
      return undefined;
    },
  },
];
