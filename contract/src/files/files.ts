import type { PackageAbout } from '@nudrik/core';

/** What is read of a file when it comes. */
export interface FileAbout {
  pages?: number;
  width?: number;
  height?: number;
  package?: PackageAbout;
}

export interface StoredFile {
  id: string;
  name: string;
  bytes: number;
  /** its media type, as its content tells */
  type: string;
  about: FileAbout;
}

/** POST /api/files/:id/page: a text turned into a page */
export interface PageOfFile {
  html: string;
  /** what could not be taken over, in sentences */
  left: string[];
}

/** GET /api/files/means */
export interface FileMeans {
  /** whether presentations and ODT can be turned into PDF here */
  canConvert: boolean;
}
