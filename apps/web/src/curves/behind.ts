import { type Channel, layerById, layerIndex, restPose } from '@evlay/core';
import { applyLayers } from '@evlay/core/evaluate';
import { channelsOfPose } from '@evlay/core/solve';
import { useEffect, useRef } from 'react';
import { useEditor } from '../editor/context.js';
import type { Editor } from '../editor/editor.js';
import { workWhenCalm } from '../editor/when-calm.js';
import type { ShownCurve } from './shown.js';

/** What is seen of a channel, and what the layers below the lit one show of it, at every frame from `from` on. */
export interface BehindCurve {
  readonly from: number;
  readonly result: Float64Array;
  readonly below: Float64Array;
}

/** What lies behind curves, by their keys. */
export type Behind = ReadonlyMap<string, BehindCurve>;

/** More curves than these are shown without what lies behind them. */
export const MOST_BEHIND = 24;

/** Samples frames a few at a time, so that the page stays free; undefined when all are there. */
function* sampling(editor: Editor, id: string, curves: readonly ShownCurve[]): Generator<void, Behind> {
  const { stack, project } = editor.stage.get();
  const index = layerIndex(project, id);
  const [from, to] = project.range;
  const count = Math.floor(to - from) + 1;
  const wanted = curves.flatMap(({ address, key }) => {
    if (address.kind !== 'channel' || address.channel[0] === 's') return [];
    const joint = project.rig.joints.findIndex(({ name }) => name === address.joint);
    return joint < 0 ? [] : [{ joint, channel: address.channel as Exclude<Channel, `s${string}`>, key }];
  });
  const found = new Map<string, BehindCurve>(
    wanted.map(({ key }) => [key, { from, result: new Float64Array(count), below: new Float64Array(count) }]),
  );
  if (wanted.length === 0 || wanted.length > MOST_BEHIND || !layerById(project, id)) return new Map();
  const joints = [...new Set(wanted.map(({ joint }) => joint))];
  const before = new Map<string, ReturnType<typeof channelsOfPose>>();
  const pose = restPose(project.rig);
  const rest = restPose(project.rig);
  for (let k = 0; k < count; k++) {
    pose.translations.set(rest.translations);
    pose.rotations.set(rest.rotations);
    pose.scales.set(rest.scales);
    const read = (which: 'below' | 'result') => {
      for (const joint of joints) {
        const name = `${which} ${joint}`;
        const channels = channelsOfPose(stack, joint, pose, before.get(name));
        before.set(name, channels);
        for (const one of wanted)
          if (one.joint === joint) found.get(one.key)![which][k] = channels[one.channel as 'rx'];
      }
    };
    applyLayers(stack, from + k, 0, index, pose);
    read('below');
    applyLayers(stack, from + k, index, stack.layers.length, pose);
    read('result');
    yield;
  }
  return found;
}

/** What lies behind curves, worked out when nothing has changed for a moment. `changed` is told when it is there. */
export function useBehind(
  id: string,
  curves: readonly ShownCurve[],
  changed: () => void,
): React.RefObject<Behind | undefined> {
  const editor = useEditor();
  const behind = useRef<Behind>(undefined);
  const tell = useRef(changed);
  tell.current = changed;
  useEffect(() => {
    behind.current = undefined;
    return workWhenCalm(
      editor,
      () => sampling(editor, id, curves),
      (found) => {
        behind.current = found;
        tell.current();
      },
    );
  }, [editor, id, curves]);
  return behind;
}
