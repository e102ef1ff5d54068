import { Text } from '@chakra-ui/react';
import { Dices } from 'lucide-react';
import { noiseNow, noiseOnPicked } from '../../commands/keys/worked-out.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { useEditor, useSession } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';
import { useTiming } from './use-timing.js';

/** Small motion by a seed on the picked joints, written at every change of a number. */
export function NoiseRow() {
  const editor = useEditor();
  useSession((state) => state.picked);
  useTiming();
  const noise = noiseNow(editor);
  const number = (
    label: string,
    name: 'angle' | 'centimetres' | 'frequency',
    step: number,
    sign: string,
    min: number,
  ) => (
    <>
      <DragNumber
        label={label}
        read={() => noiseNow(editor)[name]}
        min={min}
        max={name === 'frequency' ? 15 : 180}
        step={step}
        decimals={1}
        width={name === 'frequency' ? '31px' : '37px'}
        command={noiseOnPicked}
        to={(value) => ({ [name]: value })}
      />
      <Text color="quiet">{sign}</Text>
    </>
  );
  return (
    <Row label="noise">
      {number('Noise, degrees', 'angle', 0.05, '°', 0)}
      {number('Noise, centimetres', 'centimetres', 0.05, 'cm', 0)}
      {number('Noise, waves a second', 'frequency', 0.02, 'Hz', 0.1)}
      <CommandChoice
        command={noiseOnPicked}
        arg={{ everyFrame: !noise.everyFrame }}
        on={noise.everyFrame}
        title="A key at every frame; else where the noise turns"
      >
        every
      </CommandChoice>
      <CommandButton
        command={noiseOnPicked}
        arg={{ seed: noise.seed + 1 }}
        label={`Other noise, after seed ${noise.seed}`}
        icon={Dices}
      />
    </Row>
  );
}
