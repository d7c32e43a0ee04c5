/** The outline of a course as a list of lines that is edited from the keyboard: what each key does, without a screen. */

export interface OutlineSection<U> {
  title: string;
  units: readonly U[];
}

/** A line of an outline: the heading of a section (`unit` null), or one of its units. */
export interface OutlineLine {
  section: number;
  unit: number | null;
}

/** What an edit makes: the outline after it, and the line that has the cursor then. */
export interface Edited<S> {
  sections: readonly S[];
  at: OutlineLine;
}

const put = <T>(list: readonly T[], at: number, ...items: T[]): T[] => [...list.slice(0, at), ...items, ...list.slice(at)];
const without = <T>(list: readonly T[], at: number): T[] => [...list.slice(0, at), ...list.slice(at + 1)];

/**
 * The edits of one kind of outline.
 * @param make a section with a title and units, from one that is changed or from nothing
 */
export function outlineOf<U, S extends OutlineSection<U>>(make: (from: S | null, title: string, units: readonly U[]) => S) {
  const change = (sections: readonly S[], index: number, units: readonly U[]): S[] =>
    sections.map((section, i) => (i === index ? make(section, section.title, units) : section));

  return {
    /** Enter: a unit after the line; after a heading it is the first of its section. */
    addUnit(sections: readonly S[], line: OutlineLine | null, unit: U): Edited<S> {
      const section = line?.section ?? sections.length - 1;
      if (section < 0) return { sections: [make(null, 'First section', [unit])], at: { section: 0, unit: 0 } };
      const at = line === null ? sections[section]!.units.length : (line.unit ?? -1) + 1;
      return { sections: change(sections, section, put(sections[section]!.units, at, unit)), at: { section, unit: at } };
    },

    /** A section after the one of the line. */
    addSection(sections: readonly S[], line: OutlineLine | null, title: string): Edited<S> {
      const at = (line?.section ?? sections.length - 1) + 1;
      return { sections: put(sections, at, make(null, title, [])), at: { section: at, unit: null } };
    },

    /** Alt and an arrow: a unit over its neighbour, and over the edge of its section; a section with all that it holds. */
    move(sections: readonly S[], line: OutlineLine, step: -1 | 1): Edited<S> {
      const { section, unit } = line;
      if (unit === null) {
        const to = section + step;
        if (to < 0 || to >= sections.length) return { sections, at: line };
        return { sections: put(without(sections, section), to, sections[section]!), at: { section: to, unit: null } };
      }
      const { units } = sections[section]!;
      const moved = units[unit]!;
      const to = unit + step;
      if (to >= 0 && to < units.length)
        return { sections: change(sections, section, put(without(units, unit), to, moved)), at: { section, unit: to } };
      const other = section + step;
      if (other < 0 || other >= sections.length) return { sections, at: line };
      const into = sections[other]!.units;
      const place = step === -1 ? into.length : 0;
      return {
        sections: change(change(sections, section, without(units, unit)), other, put(into, place, moved)),
        at: { section: other, unit: place },
      };
    },

    /** To a place that was pointed at. @param to counted in the outline without the unit */
    moveTo(sections: readonly S[], line: OutlineLine & { unit: number }, to: OutlineLine & { unit: number }): Edited<S> {
      const moved = sections[line.section]!.units[line.unit]!;
      const left = change(sections, line.section, without(sections[line.section]!.units, line.unit));
      return { sections: change(left, to.section, put(left[to.section]!.units, to.unit, moved)), at: to };
    },

    /** Shift and Tab: a unit becomes a heading; what stood below it in its section follows it. @param titleOf the unit's title */
    raise(sections: readonly S[], line: OutlineLine, titleOf: (unit: U) => string): Edited<S> {
      if (line.unit === null) return { sections, at: line };
      const section = sections[line.section]!;
      const made = make(null, titleOf(section.units[line.unit]!), section.units.slice(line.unit + 1));
      const cut = change(sections, line.section, section.units.slice(0, line.unit));
      return { sections: put(cut, line.section + 1, made), at: { section: line.section + 1, unit: null } };
    },

    /** Tab: a heading becomes the last unit of the section before, and what it held follows. Not of the first section. */
    lower(sections: readonly S[], line: OutlineLine, unitOf: (title: string) => U): Edited<S> {
      if (line.unit !== null || line.section === 0) return { sections, at: line };
      const before = sections[line.section - 1]!;
      const { title, units } = sections[line.section]!;
      const joined = change(sections, line.section - 1, [...before.units, unitOf(title), ...units]);
      return { sections: without(joined, line.section), at: { section: line.section - 1, unit: before.units.length } };
    },

    /** A copy after the line. @param copy of a unit: with an identity of its own */
    duplicate(sections: readonly S[], line: OutlineLine, copy: (unit: U) => U): Edited<S> {
      const section = sections[line.section]!;
      if (line.unit === null) {
        const made = make(null, `${section.title} (copy)`, section.units.map(copy));
        return { sections: put(sections, line.section + 1, made), at: { section: line.section + 1, unit: null } };
      }
      const at = line.unit + 1;
      return {
        sections: change(sections, line.section, put(section.units, at, copy(section.units[line.unit]!))),
        at: { section: line.section, unit: at },
      };
    },

    /** Takes a line away: the cursor goes to the line before. A section goes with its units only where it is said so. */
    remove(sections: readonly S[], line: OutlineLine): Edited<S> {
      if (line.unit !== null) {
        const units = without(sections[line.section]!.units, line.unit);
        return {
          sections: change(sections, line.section, units),
          at: { section: line.section, unit: line.unit === 0 ? null : line.unit - 1 },
        };
      }
      const left = without(sections, line.section);
      const at = Math.max(0, line.section - 1);
      const count = left[at]?.units.length ?? 0;
      return { sections: left, at: { section: at, unit: line.section === 0 || count === 0 ? null : count - 1 } };
    },

    /** The line above or below, over the edges of sections. Null at the ends. */
    next(sections: readonly S[], line: OutlineLine, step: -1 | 1): OutlineLine | null {
      const lines = sections.flatMap(({ units }, section): OutlineLine[] => [
        { section, unit: null },
        ...units.map((_, unit) => ({ section, unit })),
      ]);
      const index = lines.findIndex(({ section, unit }) => section === line.section && unit === line.unit);
      return lines[index + step] ?? null;
    },
  };
}
