import { Box } from '@chakra-ui/react';
import { channelsOf, type Layer, layerById } from '@evlay/core';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useEditor, useLayer, useProject, useSession } from '../editor/context.js';
import type { TimeScale } from '../timeline/time-scale.js';
import { CurveGraph } from './CurveGraph.js';
import { CurveList } from './CurveList.js';
import { CurveTools } from './CurveTools.js';
import { curvesShown, weightsShown } from './shown.js';
import { fittedScales, type ValueScales, withSum } from './value-scale.js';
import { largestSum } from './weights.js';

const NO_LAYERS: readonly string[] = [];

/** Names all that is keyed on a layer, the same while keys only move; cheap, since it is asked at every move. */
function keyedNames(layer: Layer): string {
  const named = (scalars: object | undefined) =>
    Object.entries(scalars ?? {}).flatMap(([name, scalar]) => (typeof scalar === 'number' ? [] : [name]));
  const channels = Object.entries(channelsOf(layer)).map(([joint, own]) => `${joint} ${Object.keys(own)}`);
  const others = [layer.mask, layer.joints, layer.placement].map((scalars) => named(scalars).join());
  return [...channels, ...others, typeof layer.weight].join('|');
}

interface CurvesProps {
  readonly scale: TimeScale;
  /** Pixels of the column of names, and the edge by which it is widened. */
  readonly header: number;
  readonly edge: React.ReactNode;
}

/** The curves of what is picked on the lit layer, on the lanes' time axis: their names at the left, their shapes beside them. */
export function Curves({ scale, header, edge }: CurvesProps) {
  const editor = useEditor();
  const lit = useSession((state) => state.lit);
  const picked = useSession((state) => state.picked);
  const faces = useSession((state) => state.faces);
  const own = useSession((state) => state.ownScales);
  // Which curves there are: keys that move change nothing of it.
  const { names } = useLayer(lit, (layer) => ({ names: layer ? keyedNames(layer) : '' }));
  const together = useSession((state) => state.weightsTogether);
  const chosen = useSession((state) => state.layers);
  const weighed = useProject((project) =>
    together ? project.layers.map(({ id, name, weight }) => `${id} ${name} ${typeof weight}`).join() : '',
  );
  const summed = useMemo(() => {
    if (!together || weighed === '') return NO_LAYERS;
    return chosen.length > 1 ? chosen : editor.history.project().layers.map(({ id }) => id);
  }, [editor, together, chosen, weighed]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: `names` says when others are keyed
  const curves = useMemo(
    () =>
      together
        ? weightsShown(editor.history.project(), summed)
        : curvesShown(editor.history.project(), lit, picked, faces),
    [editor, lit, picked, faces, names, together, summed],
  );
  const area = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(160);
  useEffect(() => {
    if (!area.current) return;
    const observer = new ResizeObserver(([entry]) =>
      setHeight(Math.max(40, Math.floor(entry.contentRect.height))),
    );
    observer.observe(area.current);
    return () => observer.disconnect();
  }, []);

  const [scales, setScales] = useState<ValueScales>(new Map());
  useEffect(() => {
    const fit = () => {
      const project = editor.history.project();
      if (!layerById(project, lit)) return;
      const fitted = fittedScales(project, curves, own);
      setScales(summed.length > 0 ? withSum(fitted, largestSum(project, summed)) : fitted);
    };
    fit();
    return editor.events.on('fitCurves', fit);
  }, [editor, lit, curves, own, summed]);

  return (
    <Box
      flex="1"
      minHeight="0"
      display="flex"
      flexDirection="column"
      role="region"
      aria-label="Curves of what is picked"
    >
      <CurveTools />
      <Box ref={area} flex="1" minHeight="0" display="flex" position="relative">
        <CurveList layer={lit} curves={curves} width={header} />
        <CurveGraph
          layer={lit}
          curves={curves}
          summed={summed}
          scale={scale}
          height={height}
          scales={scales}
          onScales={setScales}
        />
        {edge}
      </Box>
    </Box>
  );
}
