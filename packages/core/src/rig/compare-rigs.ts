/** What of a skeleton is needed to compare it: names and hierarchy, in order. */
export type Skeleton = readonly { readonly name: string; readonly parent: number }[];

/** How the joints of a file that was written compare with those that came in. */
export interface RigComparison {
  /** Joints that came in, and of those the ones that are there with the same name, in the same place and below the same joint. */
  readonly came: number;
  readonly same: number;
  /** Names of joints that came in and are another way or not at all. */
  readonly changed: readonly string[];
  /** Names of joints that did not come in. */
  readonly added: readonly string[];
}

/** Compares names, order and hierarchy of two skeletons. */
export function compareRigs(came: Skeleton, wrote: Skeleton): RigComparison {
  const parentName = (skeleton: Skeleton, k: number) => skeleton[skeleton[k].parent]?.name;
  const changed = came.flatMap(({ name }, k) =>
    wrote[k]?.name === name && parentName(wrote, k) === parentName(came, k) ? [] : [name],
  );
  const known = new Set(came.map(({ name }) => name));
  return {
    came: came.length,
    same: came.length - changed.length,
    changed,
    added: wrote.flatMap(({ name }) => (known.has(name) ? [] : [name])),
  };
}
