import { Box, Text } from '@chakra-ui/react';
import { keyFrames, type Layer, type Span, takesKeys } from '@evlay/core';
import { changeSpan, spanWhole } from '../../commands/stack/layer-values.js';
import { CommandChoice } from '../../controls/CommandButton.js';
import { DragNumber } from '../../controls/DragNumber.js';
import { frameUnits } from '../../controls/units.js';
import { useFirst, useLayerNow, useProject } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** The frames in which a layer acts, and how it comes and goes. */
export function SpanRow({ layer }: { layer: Layer }) {
  const range = useProject((project) => project.range);
  const fps = useProject((project) => project.fps);
  const first = useFirst();
  const now = useLayerNow(layer);
  const { span } = layer;
  const spanned = (values: Span) => ({ layer: layer.id, span: values });
  if (!span) {
    return (
      <Row label="span">
        <Text>every frame</Text>
        {takesKeys(layer) && keyFrames(layer).length > 0 && layer.mode === 'override' && (
          <CommandChoice
            command={spanWhole}
            arg={{ layer: layer.id, whole: false }}
            on={false}
            title="From the first key to the last, with fades before and after"
          >
            as keys
          </CommandChoice>
        )}
        <CommandChoice command={changeSpan} arg={spanned({ start: range[0], end: range[1] })} on={false}>
          limit
        </CommandChoice>
      </Row>
    );
  }
  const ends = [
    ['start', 'Span starts at', range[0]],
    ['end', 'Span ends at', range[1]],
  ] as const;
  const fades = [
    ['fadeIn', 'Fade in, frames', span.start === undefined],
    ['fadeOut', 'Fade out, frames', span.end === undefined],
  ] as const;
  const { shape = 'smooth' } = span;
  return (
    <>
      <Row label="span">
        {ends.map(([field, label, open], k) => (
          <Box key={field} display="flex" alignItems="center" gap="1">
            {k === 1 && <Text color="quiet">to</Text>}
            <DragNumber
              label={label}
              read={() => now().span?.[field] ?? open}
              live
              step={1}
              decimals={0}
              units={frameUnits(fps)}
              origin={first}
              width="42px"
              command={changeSpan}
              to={(next) => spanned({ [field]: Math.round(next) })}
            />
          </Box>
        ))}
        <Text color="quiet" ml="1">
          fades
        </Text>
        {fades.map(([field, label, open]) => (
          <DragNumber
            key={field}
            label={label}
            read={() => now().span?.[field] ?? 0}
            live
            min={0}
            step={1}
            decimals={0}
            units={frameUnits(fps)}
            width="30px"
            disabled={open}
            command={changeSpan}
            to={(next) => spanned({ [field]: Math.round(next) })}
          />
        ))}
      </Row>
      <Row label="">
        {takesKeys(layer) && (
          <CommandChoice
            command={spanWhole}
            arg={{ layer: layer.id, whole: false }}
            on={layer.follows === true}
            title="From the first key to the last, with fades before and after: posing outside stretches it"
          >
            as keys
          </CommandChoice>
        )}
        <CommandChoice
          command={spanWhole}
          arg={{ layer: layer.id, whole: true }}
          on={false}
          title="Let the layer act at every frame; the next override layer begins so too"
        >
          whole range
        </CommandChoice>
      </Row>
      {(span.fadeIn ?? span.fadeOut) !== undefined && (
        <Row label="fades">
          {(['smooth', 'linear'] as const).map((kind) => (
            <CommandChoice
              key={kind}
              command={changeSpan}
              arg={spanned({ shape: kind })}
              on={shape === kind}
              title={SHAPE_TITLES[kind]}
            >
              {kind}
            </CommandChoice>
          ))}
        </Row>
      )}
    </>
  );
}

const SHAPE_TITLES = {
  smooth: 'Fades begin and end softly',
  linear: 'Fades go straight from nothing to all',
};
