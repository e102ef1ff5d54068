/** The number that a share of some numbers are at or below, of those that there are; 0 of none. */
export function quantile(values: ArrayLike<number>, share: number): number {
  if (values.length === 0) return 0;
  return nth(Float64Array.from(values), Math.floor(share * (values.length - 1)));
}

/** The `k`-th smallest number, counted from 0 (Hoare, *Algorithm 65: Find*, 1961). The numbers change places. */
function nth(numbers: Float64Array, k: number): number {
  let low = 0;
  let high = numbers.length - 1;
  while (low < high) {
    const pivot = numbers[k];
    let i = low;
    let j = high;
    while (i <= j) {
      while (numbers[i] < pivot) i++;
      while (numbers[j] > pivot) j--;
      if (i > j) break;
      const kept = numbers[i];
      numbers[i++] = numbers[j];
      numbers[j--] = kept;
    }
    if (j < k) low = i;
    if (i > k) high = j;
  }
  return numbers[k];
}
