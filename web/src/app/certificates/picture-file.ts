/** Pixels of the longer side: enough for a whole sheet of A4 at 200 to the inch. */
const LONGEST = 2_400;
/** A file that is small and of a kind that goes into a PDF is taken as it is. */
const AS_IT_IS = ['image/png', 'image/jpeg'];
const SMALL = 1_500_000;

/**
 * A picture of any kind and size that this browser shows, as PNG or JPEG of a size for printing. What it cannot show goes on as
 * it is: the server says what is wrong with it.
 */
export async function printable(file: File): Promise<File> {
  let picture: ImageBitmap;
  try {
    picture = await createImageBitmap(file);
  } catch {
    return file;
  }
  const scale = Math.min(1, LONGEST / Math.max(picture.width, picture.height));
  if (scale === 1 && AS_IT_IS.includes(file.type) && file.size <= SMALL) return file;
  const canvas = document.createElement('canvas');
  canvas.width = Math.max(1, Math.round(picture.width * scale));
  canvas.height = Math.max(1, Math.round(picture.height * scale));
  const context = canvas.getContext('2d');
  if (!context) return file;
  context.drawImage(picture, 0, 0, canvas.width, canvas.height);
  picture.close();
  // photographs are a tenth as JPEG; what may have see-through parts stays PNG
  const type = file.type === 'image/jpeg' ? 'image/jpeg' : 'image/png';
  const made = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, type, 0.9));
  return made ? new File([made], file.name.replace(/\.\w+$/, type === 'image/png' ? '.png' : '.jpg'), { type }) : file;
}
