import { Text } from '@chakra-ui/react';
import type { KeyLimits } from '@evlay/core/keys';
import { useProject } from '../editor/context.js';
import { LocalNumber } from './DragNumber.js';
import { ANGLE_UNITS } from './units.js';

interface KeyLimitFieldsProps {
  readonly limits: KeyLimits;
  readonly disabled?: boolean;
  readonly onChange: (limits: KeyLimits) => void;
}

/** How far few keys may be off: millimetres and degrees, side by side in a row. */
export function KeyLimitFields({ limits, disabled, onChange }: KeyLimitFieldsProps) {
  const unit = useProject((project) => project.metresPerUnit * 1000);
  return (
    <>
      <LocalNumber
        label="Millimetres that joints may be off"
        read={() => limits.length * unit}
        min={0.01}
        max={1000}
        step={0.1}
        decimals={2}
        width="50px"
        disabled={disabled}
        onChange={(length) => onChange({ ...limits, length: length / unit })}
      />
      <Text color="quiet">mm and</Text>
      <LocalNumber
        label="Degrees that joints may be turned off"
        read={() => limits.angle}
        min={0.01}
        max={45}
        step={0.05}
        decimals={2}
        units={ANGLE_UNITS}
        width="46px"
        disabled={disabled}
        onChange={(angle) => onChange({ ...limits, angle })}
      />
      <Text color="quiet">°</Text>
    </>
  );
}
