import { PDFDocument } from 'pdf-lib';
import { strToU8, zipSync } from 'fflate';

/** Files made for tests and for the demo: small, and whole. */
export async function makePdf(pages = 1): Promise<Buffer> {
  const document = await PDFDocument.create();
  for (let i = 0; i < pages; i++) document.addPage([300, 200]);
  return Buffer.from(await document.save());
}

/** A picture of one pixel. */
export const PIXEL = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==',
  'base64',
);

export const makeZip = (files: Record<string, string | Uint8Array>): Buffer =>
  Buffer.from(zipSync(Object.fromEntries(Object.entries(files).map(([path, content]) => [path, typeof content === 'string' ? strToU8(content) : content])))); // prettier-ignore

/** One box of an MP4. */
export function makeBox(kind: string, content: Uint8Array = new Uint8Array(8)): Buffer {
  const head = Buffer.alloc(8);
  head.writeUInt32BE(8 + content.length, 0);
  head.write(kind, 4, 'latin1');
  return Buffer.concat([head, content]);
}
/** The boxes of an MP4 that says what it is, and plays nothing. */
export const makeMp4 = (...more: Buffer[]): Buffer =>
  Buffer.concat([makeBox('ftyp', Buffer.from('isom\0\0\u0002\0isomiso2avc1mp41', 'latin1')), ...more]);

/** A DOCX with paragraphs as they are given, and relationships of its own. */
export const makeDocx = (body: string, rels = '', more: Record<string, string | Uint8Array> = {}): Buffer =>
  makeZip({
    '[Content_Types].xml':
      '<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Default Extension="png" ContentType="image/png"/><Override PartName="/word/document.xml" ContentType="application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml"/></Types>',
    '_rels/.rels':
      '<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="word/document.xml"/></Relationships>',
    'word/document.xml': `<?xml version="1.0"?><w:document xmlns:w="http://schemas.openxmlformats.org/wordprocessingml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships" xmlns:wp="http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing" xmlns:a="http://schemas.openxmlformats.org/drawingml/2006/main" xmlns:pic="http://schemas.openxmlformats.org/drawingml/2006/picture"><w:body>${body}</w:body></w:document>`,
    'word/_rels/document.xml.rels': `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${rels}</Relationships>`,
    ...more,
  });

/** A manifest of a SCORM package. */
export const makeManifest = (edition: '1.2' | '2004', href = 'index.html', title = 'Man overboard'): string =>
  `<?xml version="1.0"?><manifest identifier="m" xmlns="${edition === '1.2' ? 'http://www.imsproject.org/xsd/imscp_rootv1p1p2' : 'http://www.imsglobal.org/xsd/imscp_v1p1'}" xmlns:adlcp="${edition === '1.2' ? 'http://www.adlnet.org/xsd/adlcp_rootv1p2' : 'http://www.adlnet.org/xsd/adlcp_v1p3'}">
<metadata><schema>ADL SCORM</schema><schemaversion>${edition === '1.2' ? '1.2' : '2004 4th Edition'}</schemaversion></metadata>
<organizations default="o"><organization identifier="o"><title>${title}</title><item identifier="i" identifierref="r"><title>${title}</title></item></organization></organizations>
<resources><resource identifier="r" type="webcontent" adlcp:${edition === '1.2' ? 'scormtype' : 'scormType'}="sco" href="${href}"><file href="${href}"/></resource></resources></manifest>`;
