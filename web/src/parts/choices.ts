/** Choices are the values of a field with what each means, the usual one first. */
export type Choices<V extends string = string> = readonly (readonly [value: V, text: string])[];

/** chosen is the value of a field among its choices, the first one for none of them. */
export function chosen<V extends string>(
  of: readonly [readonly [V, string], ...(readonly [V, string])[]],
  value: string,
): V {
  return of.find(([v]) => v === value)?.[0] ?? of[0][0];
}
