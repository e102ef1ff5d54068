import { Text } from '@chakra-ui/react';
import type { Layer } from '@evlay/core';
import { useState } from 'react';
import { retimeRange } from '../../commands/keys/timing.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useTogether } from '../../controls/use-together.js';
import { useFirst, useProject } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** Makes frames longer or shorter, of the lit layer, of those that are picked, or of all. */
export function RetimeRows({ layer }: { layer: Layer }) {
  const fps = useProject((project) => project.fps);
  const whole = useProject((project) => project.range);
  const zero = useFirst();
  const layers = useTogether(layer.id);
  const [ends, setEnds] = useState<readonly [number, number]>();
  const [factor, setFactor] = useState(1);
  const range = ends ?? whole;
  const [first, last] = range;
  const end = (label: string, k: 0 | 1) => (
    <LocalNumber
      label={label}
      read={() => range[k]}
      step={0.5}
      decimals={0}
      units={frameUnits(fps)}
      origin={zero}
      width="42px"
      onChange={(value) =>
        setEnds(k === 0 ? [value, Math.max(value, last)] : [Math.min(first, value), value])
      }
    />
  );
  return (
    <>
      <Row label="retime">
        {end('Retime from frame', 0)}
        <Text color="quiet">to</Text>
        {end('Retime to frame', 1)}
      </Row>
      <Row label="">
        <Text color="quiet">×</Text>
        <LocalNumber
          label="How much longer it becomes"
          read={() => factor}
          min={0.05}
          max={20}
          step={0.005}
          decimals={2}
          units={{ '%': 0.01 }}
          width="44px"
          onChange={setFactor}
        />
        <Text color="quiet">=</Text>
        <LocalNumber
          label="How many frames it becomes"
          read={() => (last - first) * factor}
          min={1}
          step={0.5}
          decimals={0}
          units={frameUnits(fps)}
          width="36px"
          onChange={(value) => last > first && setFactor(value / (last - first))}
        />
        <CommandChoice
          command={retimeRange}
          arg={{ range, factor, layers }}
          on={false}
          title={layers.length > 1 ? 'Retimes the picked layers' : 'Retimes the lit layer'}
        >
          {layers.length > 1 ? `${layers.length} layers` : 'layer'}
        </CommandChoice>
        <CommandChoice
          command={retimeRange}
          arg={{ range, factor }}
          on={false}
          title="Retimes all layers, the range and the marks"
        >
          all
        </CommandChoice>
      </Row>
    </>
  );
}
