interface RowNamesProps {
  readonly names: readonly string[];
  /** Where the first row begins, and how high each is, in pixels. */
  readonly top: number;
  readonly row: number;
}

/** The names of the rows in a lane, at its left end over what the rows show. */
export function RowNames({ names, top, row }: RowNamesProps) {
  return names.map((name, k) => (
    <text
      key={name}
      x={6}
      y={top + k * row + row / 2 + 4}
      fontSize={11}
      fill="var(--evlay-colors-text)"
      stroke="var(--evlay-colors-raised)"
      strokeWidth={4}
      paintOrder="stroke"
      pointerEvents="none"
    >
      {name}
    </text>
  ));
}
