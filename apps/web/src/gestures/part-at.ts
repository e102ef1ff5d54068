/** The part of the body map under a point of the page. */
export const partAt = (x: number, y: number): string | undefined =>
  document.elementFromPoint(x, y)?.closest<SVGElement>('[data-part]')?.dataset.part;
