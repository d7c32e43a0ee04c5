/** Somebody by name. */
export interface Named {
  id: string;
  name: string;
}
