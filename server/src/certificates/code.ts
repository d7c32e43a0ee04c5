import QRCode from 'qrcode';

/** A code in its dark stretches, row by row: so many cells to a side. */
export interface Code {
  side: number;
  rows: readonly { column: number; row: number; length: number }[];
}

/** A QR code (ISO/IEC 18004, error correction M) as it is drawn. */
export function codeOf(text: string): Code {
  const { modules } = QRCode.create(text, { errorCorrectionLevel: 'M' });
  const side = modules.size;
  const rows: { column: number; row: number; length: number }[] = [];
  for (let row = 0; row < side; row++)
    for (let column = 0; column < side; column++) {
      if (!modules.get(row, column)) continue;
      const last = rows.at(-1);
      if (last?.row === row && last.column + last.length === column) last.length += 1;
      else rows.push({ column, row, length: 1 });
    }
  return { side, rows };
}
