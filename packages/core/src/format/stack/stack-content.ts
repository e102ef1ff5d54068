import { newId } from '../../id.js';
import {
  byContent,
  CHANNELS,
  type Channels,
  type Content,
  type ContentKind,
  type ContentTable,
  holding,
  type JointChannels,
  keyed,
  NO_CONTENT,
  playing,
} from '../../layer/content.js';
import type { HeldContacts } from '../../layer/held-contacts.js';
import type { Layer } from '../../layer/layer.js';
import { type Target, ZERO_PLACE, ZERO_TURN } from '../../layer/target.js';
import { emptyRecord } from '../../record.js';
import type { Take } from '../../take/take.js';
import { takeKey } from '../project-json.js';
import { spaceOf } from './stack-check.js';
import type { StackFileContacts, StackFileCurve, StackFileLayer, StackFileTarget } from './stack-schema.js';
import { curveOf, mapScalars, mapValues, readCurve, readScalar, scalarOf } from './stack-values.js';

/** The fields of a stack file's layer in which its content stands. */
type FileContent = Pick<StackFileLayer, 'take' | 'character' | 'channels' | 'targets' | 'contacts'>;

/** What the takes of a layer are called in the file. */
interface TakeNames {
  readonly takes: readonly Take[];
  readonly fileOf: (takeId: string) => string;
}

/** The content of a layer as a stack file has it. */
export const contentIn = ({ content }: Layer, names: TakeNames): FileContent =>
  byContent(WRITTEN, content, names);

const WRITTEN: ContentTable<[TakeNames], FileContent> = {
  nothing: () => ({}),
  take: ({ take, reference, character }, { takes, fileOf }) => {
    const clip = takes.find(({ id }) => id === take)?.source.clip;
    return {
      ...(character !== undefined && { character }),
      take: { file: fileOf(take), ...(clip !== undefined && { clip }), reference },
    };
  },
  curves: ({ channels, targets }) => ({
    ...(Object.keys(channels).length > 0 && { channels: channelsIn(channels) }),
    ...(targets.length > 0 && { targets: targets.map(targetIn) }),
  }),
  contacts: ({ contacts }) => ({ contacts: contactsIn(contacts) }),
};

/** The content of a layer of a stack file; nothing where its take is not among `takes`, by {@link takeKey}. */
export function readContent(layer: FileContent, takes: ReadonlyMap<string, Take>): Content {
  for (const read of Object.values(READ)) {
    const content = read(layer, takes);
    if (content) return content;
  }
  return NO_CONTENT;
}

/** What each kind of content reads of a layer; undefined where the layer has none of that kind. */
const READ: {
  readonly [K in ContentKind]: (layer: FileContent, takes: ReadonlyMap<string, Take>) => Content | undefined;
} = {
  nothing: () => undefined,
  take: ({ take, character }, takes) => take && playedIn(take, character, takes),
  curves: ({ channels, targets }) =>
    (channels || targets) &&
    keyed(
      mapValues(
        channels ?? {},
        (joint) => mapValues(joint as Record<string, StackFileCurve>, readCurve) as JointChannels,
      ),
      (targets ?? []).map(readTarget),
    ),
  contacts: ({ contacts }) => contacts && holding(readContacts(contacts)),
};

function channelsIn(channels: Channels): NonNullable<StackFileLayer['channels']> {
  const found: NonNullable<StackFileLayer['channels']> = emptyRecord();
  for (const [joint, curves] of Object.entries(channels)) {
    found[joint] = {};
    for (const channel of CHANNELS) if (curves[channel]) found[joint][channel] = curveOf(curves[channel]);
  }
  return found;
}

const targetIn = ({ joint, space, at, turn, toward, path }: Target): StackFileTarget => ({
  joint,
  ...(space !== undefined && { space: { joint: space } }),
  ...(path
    ? {
        path: {
          points: path.points.map(([x, y, z]) => [x, y, z] as [number, number, number]),
          closed: path.closed,
          heading: path.heading,
          along: scalarOf(path.along),
        },
      }
    : { at: mapScalars(at) }),
  ...(turn && { turn: mapScalars(turn) }),
  ...(toward && { toward: mapScalars(toward) }),
});

const contactsIn = ({ fade, hips, turn, like, space, limbs }: HeldContacts): StackFileContacts => ({
  fade,
  hips,
  ...(turn !== undefined && { turn: scalarOf(turn) }),
  ...(like !== undefined && { like }),
  ...(space !== undefined && { space: { joint: space } }),
  limbs: Object.assign(
    emptyRecord(),
    Object.fromEntries(
      Object.entries(limbs).map(([name, { points, spans }]) => [
        name,
        {
          points: points.map((point) => ({ ...point })),
          spans: spans.map(([from, to]) => [from, to] as [number, number]),
        },
      ]),
    ),
  ),
});

/** The frames over which contacts come and go where a file does not say. */
const USUAL_FADE = 4;

const readContacts = ({ fade, hips, turn, like, space, limbs }: StackFileContacts): HeldContacts => ({
  ...(typeof space === 'object' && { space: space.joint }),
  fade: fade ?? USUAL_FADE,
  hips: hips ?? true,
  ...(turn !== undefined && { turn: readScalar(turn) }),
  ...(like !== undefined && { like }),
  limbs,
});

function readTarget(target: StackFileTarget): Target {
  const space = spaceOf(target);
  return {
    id: newId(),
    joint: target.joint,
    ...(space !== undefined && { space }),
    at: { ...ZERO_PLACE, ...mapValues(target.at ?? {}, readScalar) },
    ...(target.turn && { turn: { ...ZERO_TURN, ...mapValues(target.turn, readScalar) } }),
    ...(target.toward && { toward: { ...ZERO_PLACE, ...mapValues(target.toward, readScalar) } }),
    ...(target.path && {
      path: {
        points: target.path.points,
        closed: target.path.closed ?? false,
        heading: target.path.heading ?? false,
        along: readScalar(target.path.along ?? 0),
      },
    }),
  };
}

function playedIn(
  take: NonNullable<StackFileLayer['take']>,
  character: string | undefined,
  takes: ReadonlyMap<string, Take>,
): Content {
  const found = takes.get(takeKey(take));
  return found ? playing(found.id, take.reference, character) : NO_CONTENT;
}
