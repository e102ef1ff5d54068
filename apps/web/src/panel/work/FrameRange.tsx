import { Text } from '@chakra-ui/react';
import { LocalNumber } from '../../controls/DragNumber.js';
import { useFirst } from '../../editor/context.js';

type Range = readonly [number, number];

interface FrameRangeProps {
  /** Of what they are the first and the last frame: “film”. */
  readonly of: string;
  readonly range: Range;
  readonly onChange: (range: Range) => void;
}

/** The first and the last frame of a piece of work, as people count them. */
export function FrameRange({ of, range, onChange }: FrameRangeProps) {
  const first = useFirst();
  const frame = (which: string, k: 0 | 1) => (
    <LocalNumber
      label={`${which} frame of the ${of}`}
      read={() => range[k]}
      step={1}
      decimals={0}
      origin={first}
      width="52px"
      onChange={(value) => onChange(k === 0 ? [Math.round(value), range[1]] : [range[0], Math.round(value)])}
    />
  );
  return (
    <>
      {frame('First', 0)}
      <Text color="quiet">to</Text>
      {frame('Last', 1)}
    </>
  );
}
