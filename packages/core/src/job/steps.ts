/**
 * Work that is done a little at a time by those who have other things to do: it gives way after each step, with the part of
 * it that is done, from 0 to 1, where that is known.
 */
export type Steps<T> = Generator<number | undefined, T>;

/** Does all steps at once. */
export function finished<T>(steps: Steps<T>): T {
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
  }
}

/** Steps that are a part of others: what is done of them lies between two parts of the whole. */
export function* partly<T>(steps: Steps<T>, from: number, to: number): Steps<T> {
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
    yield step.value === undefined ? undefined : from + (to - from) * step.value;
  }
}
