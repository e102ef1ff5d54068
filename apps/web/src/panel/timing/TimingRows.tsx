import type { Layer } from '@evlay/core';
import { Fold } from '../../ui/Fold.js';
import { AppliedRows } from './AppliedRows.js';
import { FollowRows } from './FollowRows.js';
import { MirrorRow } from './MirrorRow.js';
import { NoiseRow } from './NoiseRow.js';
import { OverlapRows } from './OverlapRows.js';
import { RetimeRows } from './RetimeRows.js';

/** What is done with the timing of the lit layer's motion and with motion made by rule. */
export function TimingRows({ layer }: { layer: Layer }) {
  return (
    <Fold name="Timing" what="overlap, noise, follow, mirror, retime">
      <AppliedRows layer={layer} />
      <OverlapRows layer={layer} />
      <NoiseRow />
      <FollowRows />
      <MirrorRow layer={layer} />
      <RetimeRows layer={layer} />
    </Fold>
  );
}
