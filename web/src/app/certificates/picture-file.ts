/** Pixels of the longer side: enough for a whole sheet of A4 at 200 to the inch. */
const LONGEST = 2_400;
/** The same of what is drawn by lines. */
const DRAWN = 1_600;
/** A file that is small and of a kind that goes into a PDF is taken as it is. */
const AS_IT_IS = ['image/png', 'image/jpeg'];
const SMALL = 1_500_000;

/**
 * A picture of any kind and size that this browser shows, as PNG or JPEG of a size for printing. What it cannot show goes on as
 * it is: the server says what is wrong with it.
 */
export async function printable(file: File): Promise<File> {
  const picture = (await bitmapOf(file)) ?? (await imageOf(file));
  if (!picture) return file;
  // what is drawn by lines has no pixels of its own
  const isDrawn = file.type === 'image/svg+xml';
  const scale = isDrawn ? DRAWN / Math.max(picture.width, picture.height) : Math.min(1, LONGEST / Math.max(picture.width, picture.height));
  if (scale === 1 && AS_IT_IS.includes(file.type) && file.size <= SMALL) return file;
  const canvas = document.createElement('canvas');
  canvas.width = Math.max(1, Math.round(picture.width * scale));
  canvas.height = Math.max(1, Math.round(picture.height * scale));
  const context = canvas.getContext('2d');
  if (!context) return file;
  context.drawImage(picture, 0, 0, canvas.width, canvas.height);
  // photographs are a tenth as JPEG; what may have see-through parts stays PNG
  const type = file.type === 'image/jpeg' ? 'image/jpeg' : 'image/png';
  const made = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, type, 0.9));
  return made ? new File([made], file.name.replace(/\.\w+$/, type === 'image/png' ? '.png' : '.jpg'), { type }) : file;
}

async function bitmapOf(file: File): Promise<ImageBitmap | null> {
  try {
    return await createImageBitmap(file);
  } catch {
    return null;
  }
}

/** A picture that is shown by an element alone, as an SVG is: nothing that stands in it runs, or is fetched. */
function imageOf(file: File): Promise<HTMLImageElement | null> {
  return new Promise((resolve) => {
    const reader = new FileReader();
    reader.onerror = () => resolve(null);
    reader.onload = () => {
      const image = new Image();
      image.onload = () => resolve(image.width > 0 && image.height > 0 ? image : null);
      image.onerror = () => resolve(null);
      image.src = String(reader.result);
    };
    reader.readAsDataURL(file);
  });
}
