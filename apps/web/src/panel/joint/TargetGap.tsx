import { Text } from '@chakra-ui/react';
import { alphaAt, targetStepOf } from '@evlay/core/evaluate';
import { useEffect, useRef } from 'react';
import { useEditor, useProject } from '../../editor/context.js';
import { Row } from '../../ui/Row.js';

/** Centimetres from which a gap is said. */
const LEAST = 0.1;

/** By how much the limb of a target misses it at the playhead, where it does. It is written as the pose changes. */
export function TargetGap({ layer, joint }: { layer: string; joint: string }) {
  const { stage } = useEditor();
  const metresPerUnit = useProject((project) => project.metresPerUnit);
  const box = useRef<HTMLDivElement>(null);
  const text = useRef<HTMLParagraphElement>(null);
  useEffect(() => {
    const show = () => {
      const { stack, frame } = stage.get();
      const own = stack.layers.findIndex((one) => one.layer.id === layer);
      const target = targetStepOf(stack.layers[own]?.steps ?? [])?.targets.find(
        (one) => stack.rig.joints[one.joint].name === joint,
      );
      const counts = target !== undefined && alphaAt(stack, own, target.counts[1], frame) > 0;
      const short = counts ? target.found[3] * metresPerUnit * 100 : 0;
      if (!box.current || !text.current) return;
      box.current.hidden = short < LEAST;
      if (short >= LEAST) text.current.textContent = `${short.toFixed(1)} cm short: it cannot reach that far`;
    };
    show();
    return stage.subscribe(show);
  }, [stage, layer, joint, metresPerUnit]);
  return (
    <div ref={box} hidden>
      <Row label="">
        <Text ref={text} color="alarm" />
      </Row>
    </div>
  );
}
