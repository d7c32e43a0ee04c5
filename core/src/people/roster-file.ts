import type { Matching } from './matching.ts';
import { RosterComparison } from './roster-comparison.ts';
import { FileColumns, FilePeople, isHere, lower } from './roster-lines.ts';
import {
  GROUPS,
  type Group,
  type Groups,
  type PreviewOptions,
  type Rejection,
  type RosterPerson,
  type RosterPreview,
  type RosterRow,
  type RowChange,
} from './roster-row.ts';

export * from './roster-row.ts';
export { FIELD_OF, tellLeave, tellLeaveDays } from './roster-comparison.ts';

/** Rows between two reports of how far the comparison is. */
const REPORT_EVERY = 2_000;

/**
 * Compares a roster file with the roster. Pure: nothing is taken yet.
 * @param table the file's cells, header first
 * @param matching which column is which field
 * @param roster everyone on the roster, those who left too
 * @param sites names of the sites there are: a site carries zone and calendar and is not made by a file
 * @param onProgress called with 0 … 1
 * @returns who is added, changed, returned, left and unchanged, and every row that is refused with its column and reason
 */
export function previewRoster(
  table: readonly (readonly string[])[],
  matching: Matching,
  roster: readonly RosterPerson[],
  sites: readonly string[],
  options: PreviewOptions,
  onProgress: (share: number) => void = () => undefined,
): RosterPreview {
  const { today } = options;
  const preview: RosterPreview = {
    added: [],
    changed: [],
    returned: [],
    left: [],
    unchanged: 0,
    rejected: [],
    newDepartments: [],
    calledNow: [],
    passedOver: [],
    rosterSize: roster.filter((person) => isHere(person, today)).length,
  };
  const columns = new FileColumns(table[0] ?? [], matching);
  const missing = columns.missing();
  if (missing.length > 0) return { ...preview, rejected: missing.map((entry) => ({ row: 1, ...entry })) };

  const people = new FilePeople(table, columns, roster, options);
  preview.passedOver = [...people.passedOver].map(([line, chosen]) => ({ row: line.row, chosen: chosen.row }));
  const comparison = new RosterComparison(preview, columns, people, sites, roster, { ...options, dateOrder: matching.dateOrder });
  people.lines.forEach((line, index) => {
    if (index % REPORT_EVERY === 0) onProgress(index / people.lines.length);
    if (!people.passedOver.has(line)) comparison.compare(line);
  });

  rejectLoops(preview, roster);
  rejectOrphans(preview, people.byEmail);
  if (options.isComplete) {
    const mentioned = people.mentioned();
    const isMissing = (person: RosterPerson): boolean =>
      isHere(person, today) && !mentioned.has(person.id) && (options.mayLeave?.(person) ?? true);
    for (const person of roster.filter(isMissing))
      preview.left.push({
        row: null,
        id: person.id,
        person: { ...rowOf(person), leftOn: today },
        changes: [{ field: 'leftOn', from: person.leftOn, to: today }],
      });
  }
  const known = new Set(roster.map((person) => person.department.toLowerCase()));
  const named = [...preview.added, ...preview.changed, ...preview.returned].map(({ person }) => person.department);
  preview.newDepartments = [...new Set(named)].filter((name) => !known.has(name.toLowerCase())).sort();
  onProgress(1);
  return preview;
}

const rowOf = ({ id: _, leaves: __, ...row }: RosterPerson): RosterRow => row;

/** Everything that a preview would take, of the groups that are taken. */
export const takenOf = (preview: RosterPreview, groups: Groups): RowChange[] =>
  GROUPS.flatMap((group) => (groups[group] ? preview[group] : []));

/**
 * Leaves out groups. A row whose manager would only come with a group that is left out is refused, with that reason.
 * @returns the preview as it would be taken
 */
export function chooseGroups(preview: RosterPreview, groups: Groups, roster: readonly RosterPerson[]): RosterPreview {
  const chosen: RosterPreview = { ...preview, rejected: [...preview.rejected] };
  for (const group of GROUPS) chosen[group] = groups[group] ? [...preview[group]] : [];
  rejectOrphans(chosen, new Map(roster.map((person) => [lower(person.email), person])));
  return chosen;
}

/** How much of the roster a preview would change, in percent. */
export const shareOf = (changes: number, preview: RosterPreview): number =>
  preview.rosterSize === 0 ? 0 : (100 * changes) / preview.rosterSize;

const COMING: readonly Group[] = ['added', 'changed', 'returned'];

/** Refuses rows whose manager would only come by a row that is not taken itself, down the whole line. */
function rejectOrphans(preview: RosterPreview, onRoster: ReadonlyMap<string, RosterPerson>): void {
  for (;;) {
    const coming = new Set(COMING.flatMap((group) => preview[group].map(({ person }) => person.email)));
    const isThere = (email: string): boolean => onRoster.has(email) || coming.has(email);
    const orphaned = ({ person, changes, id, leave }: RowChange): Rejection | null => {
      const row = null;
      const isNewManager = id === null || changes.some(({ field }) => field === 'managerEmail');
      if (person.managerEmail !== null && isNewManager && !isThere(person.managerEmail))
        return {
          row,
          column: 'manager',
          reason: `The row of the manager ${person.managerEmail} is not taken, so there would be no manager.`,
        };
      if (leave?.coverEmail && !isThere(leave.coverEmail))
        return { row, column: 'cover', reason: `The row of ${leave.coverEmail}, who is to cover, is not taken.` };
      return null;
    };
    const isOrphan = (entry: RowChange): boolean => orphaned(entry) !== null;
    const orphans = COMING.flatMap((group) => preview[group].filter(isOrphan));
    if (orphans.length === 0) return;
    for (const entry of orphans) preview.rejected.push({ ...orphaned(entry)!, row: entry.row });
    for (const group of COMING) preview[group] = preview[group].filter((entry) => !isOrphan(entry));
  }
}

/** Refuses rows after which a chain of managers would run in a circle, naming the circle. */
function rejectLoops(preview: RosterPreview, roster: readonly RosterPerson[]): void {
  // by address as it will be: a person keeps being the same one when the address changes
  const emailAfter = new Map(roster.map((person) => [lower(person.email), lower(person.email)]));
  const taken = COMING.flatMap((group) => preview[group]);
  for (const { person, changes } of taken)
    for (const { field, from } of changes) if (field === 'email' && from) emailAfter.set(lower(from), person.email);
  const managerOf = new Map(
    roster.map((person) => [
      emailAfter.get(lower(person.email))!,
      person.managerEmail && (emailAfter.get(lower(person.managerEmail)) ?? person.managerEmail),
    ]),
  );
  for (const { person } of taken) managerOf.set(person.email, person.managerEmail);
  const looping = new Set<RowChange>();
  const isClear = new Set<string>();
  for (const change of taken) {
    const path = [change.person.email];
    const seen = new Set(path);
    let ends = true; // at somebody without a manager, or in a chain that does
    for (let next = change.person.managerEmail; next && !isClear.has(next); next = managerOf.get(next) ?? null) {
      path.push(next);
      if (next === change.person.email) {
        preview.rejected.push({ row: change.row, column: 'manager', reason: `The managers would run in a circle: ${path.join(' → ')}.` });
        looping.add(change);
      }
      if (seen.has(next)) {
        ends = false;
        break;
      }
      seen.add(next);
    }
    if (ends) for (const email of path) isClear.add(email);
  }
  for (const group of COMING) preview[group] = preview[group].filter((change) => !looping.has(change));
}
