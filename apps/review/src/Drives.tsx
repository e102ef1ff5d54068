import { type Layer, layerTags } from '@evlay/core';
import { largestTurn, meanShare, membersByPart } from '@evlay/core/evaluate';
import { memberNames, partLabel } from '@evlay/core/rig';
import { useMemo } from 'react';
import type { Stage } from './stage.js';

/** Below this share, and this turn in radians, a layer is not named for a part. */
const SEEN = 0.03;
const TURNED = 0.01;

/** Who drives what: for each part of the body the layers whose pose it has at a frame, and those that add to it. */
export function Drives({ stage, frame }: { stage: Stage; frame: number }) {
  const { player } = stage.main;
  const { layers, parts, rig } = player.project;
  const members = useMemo(
    () =>
      [...membersByPart(parts)]
        .map(([part, all]) => [part, all.filter((j) => j < rig.joints.length)] as const)
        .filter(([part, all]) => all.length > 0 && !/^(other|face)$/.test(part)),
    [parts, rig],
  );
  const tags = useMemo(() => layerTags(layers), [layers]);
  const { attribution } = player.at(frame);
  const n = memberNames(rig).length;
  return (
    <section aria-label="Who drives what">
      <h2>Who drives what</h2>
      <div className="parts">
        {members.map(([part, joints]) => (
          <div key={part} className="part">
            <span>{partLabel(part.slice(part.lastIndexOf('/') + 1))}</span>
            <span className="bar">
              {layers.map((layer, k) => {
                const share = meanShare(attribution, k + 1, joints, n);
                return share < SEEN ? null : (
                  <i
                    key={layer.id}
                    title={`${layer.name} ${Math.round(share * 100)} %`}
                    style={{ width: `${share * 100}%`, background: colorOf(layer, k) }}
                  >
                    {k === 0 ? '' : tags[k]}
                  </i>
                );
              })}
            </span>
            <span className="adds">
              {layers.map((layer, k) =>
                largestTurn(attribution, k, joints, n) < TURNED || layer.mode === 'override' ? null : (
                  <i
                    key={layer.id}
                    title={`${layer.name} adds here`}
                    style={{ borderColor: colorOf(layer, k) }}
                  >
                    {tags[k]}
                  </i>
                ),
              )}
            </span>
          </div>
        ))}
      </div>
    </section>
  );
}

const colorOf = ({ color }: Layer, k: number): string => color ?? (k === 0 ? '#4A6A72' : '#9DB5B2');
