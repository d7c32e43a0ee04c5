/** Query parameters without what is not asked. */
export const paramsOf = (query: object): Record<string, string> =>
  Object.fromEntries(
    Object.entries(query)
      .filter(([, value]) => value !== undefined)
      .map(([name, value]) => [name, String(value)]),
  );
