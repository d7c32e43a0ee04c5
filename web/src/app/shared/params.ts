/** Query parameters without what is empty. */
export function paramsOf(query: object): Record<string, string> {
  return Object.fromEntries(
    Object.entries(query).flatMap(([key, value]) => (value === undefined || value === null || value === '' ? [] : [[key, String(value)]])),
  );
}
