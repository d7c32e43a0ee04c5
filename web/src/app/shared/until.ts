/** How often it is looked whether it is so, in milliseconds. */
const LOOK_MS = 50;

/** Waits until something is so. */
export async function until(isSo: () => boolean): Promise<void> {
  while (!isSo()) await new Promise((resolve) => setTimeout(resolve, LOOK_MS));
}
