import { lookup } from 'mime-types';

/** The media type of a file in a package, by its ending: within a package nothing else tells it. */
export const typeOfPath = (path: string): string => lookup(path) || 'application/octet-stream';
