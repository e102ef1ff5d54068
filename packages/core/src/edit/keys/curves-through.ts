import { fewKeys } from '../../curve/few-keys.js';
import { CHANNELS, type Channel, type Channels, type JointChannels } from '../../layer/content.js';
import type { Project } from '../../layer/project.js';
import { emptyRecord } from '../../record.js';
import { memberName } from '../../rig/members.js';
import { rigHeight } from '../../rig/pose.js';
import type { ChannelValues } from '../../solve/solve.js';

/** How far a channel may pass from what was solved for, at a tolerance of 1: degrees, parts of the height and of a scale, a number. */
const TOLERANCE = { r: 0.005, t: 2e-6, s: 1e-6, m: 1e-5 };

export type Kind = keyof typeof TOLERANCE;

/** What a channel of a joint or face channel has to hold, frame by frame. */
export type Points = Map<number, { [C in Channel]?: [frame: number, value: number][] }>;

/** Adds what the channels of a joint have to hold at a frame that comes after those before. */
export function addPoints(points: Points, j: number, frame: number, values: ChannelValues): void {
  const own = points.get(j) ?? {};
  points.set(j, own);
  for (const channel of CHANNELS) {
    const value = values[channel];
    if (value === undefined) continue;
    own[channel] ??= [];
    own[channel].push([frame, value]);
  }
}

/** Curves through points, with keys on the frames `kept` and as few more as serve. */
export function curvesThrough(
  project: Project,
  points: Points,
  kept: ReadonlySet<number>,
  tolerance: number,
): Channels {
  const height = rigHeight(project.rig);
  const channels = emptyRecord<JointChannels>();
  for (const [j, own] of points)
    channels[memberName(project.rig, j)] = Object.fromEntries(
      Object.entries(own).map(([channel, list]) => {
        const kind = channel[0] as Kind;
        const wanted = list.flatMap(([frame], i) => (kept.has(frame) ? [i] : []));
        return [
          channel,
          { keys: fewKeys(list, tolerance * TOLERANCE[kind] * (kind === 't' ? height : 1), wanted) },
        ];
      }),
    );
  return channels;
}
