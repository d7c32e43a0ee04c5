import type { Box, Design, DesignElement, CertificatePart, TextElement } from './design.ts';

const INK = '#1e2430';
const QUIET = '#5b6472';
const RULE = '#ddd6ca';
const PLUM = '#6c2a5e';
const PAPER = '#ffffff';

const at = (x: number, y: number, w: number, h: number): Box => ({ x, y, w, h });

const text = (
  part: CertificatePart,
  words: string,
  box: Box,
  rest: Partial<Omit<TextElement, 'kind' | 'part' | 'text' | 'box'>> = {},
): TextElement => ({
  kind: 'text',
  id: part,
  part,
  isOn: true,
  text: words,
  label: null,
  face: 'plain',
  size: 13,
  align: 'left',
  upright: 'top',
  colour: INK,
  box,
  ...rest,
});
const fact = (part: CertificatePart, label: string, field: string, box: Box, rest: Parameters<typeof text>[3] = {}): TextElement =>
  text(part, `{${field}}`, box, { label, face: 'strong', ...rest });

const logo = (box: Box, isOn = true): DesignElement => ({
  kind: 'picture',
  id: 'logo',
  part: null,
  isOn,
  what: 'logo',
  fileId: null,
  words: 'Logo',
  box,
});
const rule = (id: string, box: Box, colour = RULE, weight = 0.75): DesignElement => ({
  kind: 'rule',
  id,
  part: null,
  isOn: true,
  colour,
  weight,
  box,
});
const frame = (box: Box, rest: { colour?: string; weight?: number; fill?: string | null; isDouble?: boolean } = {}): DesignElement => ({ kind: 'frame', id: 'frame', part: null, isOn: true, colour: INK, weight: 0.75, fill: null, isDouble: false, box, ...rest }); // prettier-ignore
const code = (box: Box): DesignElement => ({ kind: 'code', id: 'code', part: 'check', isOn: true, colour: INK, box });

const framed: Design = {
  paper: 'a4',
  isLying: true,
  colour: PAPER,
  backgroundId: null,
  elements: [
    frame(at(12.7, 12.7, 271.6, 184.6), { isDouble: true }),
    logo(at(212, 28, 52, 18)),
    text('organisation', '{organisation}', at(32.5, 33, 175, 7), { face: 'strong', colour: PLUM }),
    text('title', 'Certificate of completion', at(32.5, 40.5, 175, 7), { colour: QUIET }),
    text('lead', 'This is to certify that', at(32.5, 64, 232, 7), { colour: QUIET }),
    text('name', '{full name}', at(32.5, 72, 232, 32), { face: 'serif', size: 44, upright: 'middle' }),
    text('line', 'has finished', at(32.5, 106, 232, 7), { colour: QUIET }),
    text('course', '{course}', at(32.5, 114, 232, 30), { face: 'serif', size: 28 }),
    rule('rule', at(32.5, 150, 232, 0)),
    fact('date', 'Finished on', 'finished', at(32.5, 156, 38, 12)),
    fact('expiry', 'Valid until', 'certificate expiry', at(74, 156, 38, 12)),
    fact('serial', 'Serial', 'certificate serial', at(115.5, 156, 38, 12)),
    fact('score', 'Score', 'score', at(157, 156, 22, 12), { isOn: false }),
    fact('signed', 'Course owner', 'trainer', at(182, 156, 52, 12)),
    text('check', 'Check it at {check address}', at(32.5, 174, 200, 6), { size: 10, colour: QUIET }),
    code(at(240.5, 156, 24, 24)),
  ],
};

const centred: Design = {
  paper: 'a4',
  isLying: false,
  colour: PAPER,
  backgroundId: null,
  elements: [
    frame(at(11, 11, 188, 275), { colour: PLUM, weight: 1.5 }),
    logo(at(75, 26, 60, 22)),
    text('organisation', '{organisation}', at(28, 52, 154, 8), { face: 'strong', colour: PLUM, align: 'middle', size: 15 }),
    text('title', 'Certificate of completion', at(28, 62, 154, 9), { colour: QUIET, align: 'middle', size: 15 }),
    rule('rule', at(85, 80, 40, 0), PLUM, 1),
    text('lead', 'awarded to', at(28, 92, 154, 7), { colour: QUIET, align: 'middle' }),
    text('name', '{full name}', at(24, 101, 162, 34), { face: 'serif', size: 40, align: 'middle', upright: 'middle' }),
    text('line', 'who has finished the course', at(28, 138, 154, 7), { colour: QUIET, align: 'middle' }),
    text('course', '{course}', at(24, 147, 162, 32), { face: 'serif', size: 26, align: 'middle' }),
    rule('rule-below', at(28, 196, 154, 0)),
    fact('date', 'Finished on', 'finished', at(28, 204, 46, 12), { align: 'middle' }),
    fact('expiry', 'Valid until', 'certificate expiry', at(82, 204, 46, 12), { align: 'middle' }),
    fact('serial', 'Serial', 'certificate serial', at(136, 204, 46, 12), { align: 'middle' }),
    fact('score', 'Score', 'score', at(28, 222, 46, 12), { isOn: false, align: 'middle' }),
    fact('signed', 'Course owner', 'trainer', at(82, 222, 100, 12), { align: 'middle' }),
    code(at(93, 240, 24, 24)),
    text('check', 'Check it at {check address}', at(28, 267, 154, 6), { size: 9, colour: QUIET, align: 'middle' }),
  ],
};

const band: Design = {
  paper: 'a4',
  isLying: true,
  colour: PAPER,
  backgroundId: null,
  elements: [
    frame(at(0, 0, 78, 210), { colour: PLUM, weight: 0, fill: PLUM }),
    logo(at(14, 20, 50, 24), false),
    text('organisation', '{organisation}', at(14, 52, 52, 22), { face: 'strong', colour: PAPER, size: 17 }),
    fact('date', 'Finished on', 'finished', at(96, 150, 44, 12)),
    fact('expiry', 'Valid until', 'certificate expiry', at(144, 150, 44, 12)),
    fact('signed', 'Course owner', 'trainer', at(192, 150, 62, 12)),
    fact('score', 'Score', 'score', at(258, 150, 24, 12), { isOn: false }),
    text('title', 'Certificate of completion', at(96, 28, 184, 10), { size: 18, colour: PLUM, face: 'strong' }),
    text('lead', 'This is to certify that', at(96, 54, 184, 7), { colour: QUIET }),
    text('name', '{full name}', at(96, 62, 184, 32), { face: 'serif', size: 42, upright: 'middle' }),
    text('line', 'has finished', at(96, 96, 184, 7), { colour: QUIET }),
    text('course', '{course}', at(96, 104, 184, 30), { face: 'serif', size: 27 }),
    rule('rule', at(96, 143, 184, 0), PLUM, 1),
    fact('serial', 'Serial', 'certificate serial', at(96, 172, 62, 12)),
    text('check', 'Check it at {check address}', at(162, 177, 90, 8), { size: 9, colour: QUIET }),
    code(at(257, 166, 23, 23)),
  ],
};

const plain: Design = {
  paper: 'letter',
  isLying: false,
  colour: PAPER,
  backgroundId: null,
  elements: [
    logo(at(24, 20, 60, 20)),
    text('organisation', '{organisation}', at(24, 44, 168, 7), { face: 'strong', colour: PLUM }),
    text('title', 'Certificate of completion', at(24, 52, 168, 12), { face: 'serif', size: 24 }),
    rule('rule', at(24, 70, 168, 0), INK, 1),
    text('name', '{full name}', at(24, 80, 168, 24), { face: 'serif', size: 32 }),
    text('line', 'has finished the course', at(24, 106, 168, 7), { colour: QUIET }),
    text('course', '{course}', at(24, 114, 168, 26), { face: 'serif', size: 24 }),
    rule('rule-below', at(24, 150, 168, 0)),
    fact('date', 'Finished on', 'finished', at(24, 157, 52, 12)),
    fact('expiry', 'Valid until', 'certificate expiry', at(82, 157, 52, 12)),
    fact('serial', 'Serial', 'certificate serial', at(140, 157, 52, 12)),
    fact('score', 'Score', 'score', at(24, 175, 52, 12), { isOn: false }),
    fact('signed', 'Course owner', 'trainer', at(82, 175, 110, 12)),
    code(at(24, 236, 24, 24)),
    text('check', 'Check it at {check address}', at(54, 254, 138, 6), { size: 9, colour: QUIET }),
  ],
};

/** What a new design may begin with. The first is what certificates look like in a house that chose none. */
export const STARTING_DESIGNS = [
  { key: 'framed', name: 'Double line', about: 'lying, two lines around it, everything at the left', design: framed },
  { key: 'centred', name: 'In the middle', about: 'upright, one line around it, everything in the middle', design: centred },
  { key: 'band', name: 'Coloured side', about: 'lying, the organisation on a coloured side', design: band },
  { key: 'plain', name: 'Bare sheet', about: 'upright on Letter, two lines and no frame', design: plain },
] as const;
export type StartingDesign = (typeof STARTING_DESIGNS)[number]['key'];
export const STANDARD_DESIGN: Design = framed;
