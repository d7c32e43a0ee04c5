import type { ScormEdition } from '@nudrik/core';

/** What a package begins with. It stands in the name of its frame, since its scripts ask at once and wait for nobody. */
export interface PackageStart {
  nudrik: 'package';
  edition: ScormEdition;
  person: { id: string; name: string };
  /** its data model below `cmi`, as it was left */
  data: object | null;
}

/** What a package says to the page around it, or a frame within it to the one around that. */
export type PackageSaid =
  { nudrik: 'kept'; data: string; isEnd: boolean } | { nudrik: 'set'; key: string; value: string } | { nudrik: 'commit'; isEnd: boolean };
