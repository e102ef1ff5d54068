/** A name that no other has: the wanted one, or that with the next number behind it. */
export function freeName(wanted: string, taken: readonly string[]): string {
  if (!taken.includes(wanted)) return wanted;
  const stem = wanted.replace(/ \d+$/, '');
  for (let k = 2; ; k++) if (!taken.includes(`${stem} ${k}`)) return `${stem} ${k}`;
}
