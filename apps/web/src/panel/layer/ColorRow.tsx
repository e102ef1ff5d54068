import { chakra } from '@chakra-ui/react';
import { LAYER_COLORS, type Layer } from '@evlay/core';
import { perform } from '../../commands/command.js';
import { changeColor } from '../../commands/stack/layers.js';
import { useEditor } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** The colour of a layer: one of those that people can tell apart, or any other. */
export function ColorRow({ layer }: { layer: Layer }) {
  const editor = useEditor();
  const of = (color: string) => ({ layer: layer.id, color });
  const free = layer.color !== undefined && !LAYER_COLORS.some((color) => color === layer.color);
  return (
    <Row label="colour">
      {LAYER_COLORS.map((color) => (
        <chakra.button
          key={color}
          type="button"
          aria-label={`Colour ${color}`}
          aria-pressed={layer.color === color}
          title={COLOR_NAMES[color]}
          onClick={() => perform(editor, changeColor, of(color))}
          width="24px"
          height="24px"
          mx="-0.5"
          flex="none"
          borderRadius="8px"
          cursor="pointer"
          borderWidth="3px"
          borderColor={layer.color === color ? 'text' : 'panel'}
          style={{ background: color }}
        />
      ))}
      <chakra.input
        type="color"
        aria-label="Any other colour"
        title="Any other colour"
        key={layer.color}
        defaultValue={layer.color ?? '#888888'}
        ref={(input: HTMLInputElement | null) => {
          // Heard once, when a colour is chosen; React hears of every colour on the way there.
          if (input) input.onchange = () => void perform(editor, changeColor, of(input.value.toUpperCase()));
        }}
        width="28px"
        height="24px"
        flex="none"
        ml="1"
        cursor="pointer"
        borderWidth="1px"
        borderColor={free ? 'text' : 'line'}
        borderRadius="l1"
        bg="transparent"
      />
    </Row>
  );
}

const COLOR_NAMES: Record<(typeof LAYER_COLORS)[number], string> = {
  '#56B4E9': 'sky blue',
  '#009E73': 'green',
  '#CC79A7': 'rose',
  '#0072B2': 'blue',
  '#D55E00': 'vermilion',
  '#F0E442': 'yellow',
  '#E69F00': 'orange',
};
