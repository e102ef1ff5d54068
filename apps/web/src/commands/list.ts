import type { Command, PaletteGroup } from './command.js';
import * as channels from './keys/channels.js';
import * as curves from './keys/curves.js';
import * as keys from './keys/keys.js';
import * as limits from './keys/limits.js';
import * as ties from './keys/ties.js';
import * as timing from './keys/timing.js';
import * as touchUp from './keys/touch-up.js';
import * as values from './keys/values.js';
import * as walk from './keys/walk.js';
import * as workedOut from './keys/worked-out.js';
import * as kits from './kits/kits.js';
import * as locker from './kits/locker.js';
import * as sheets from './kits/sheets.js';
import * as curl from './poses/curl.js';
import * as face from './poses/face.js';
import * as limbs from './poses/limbs.js';
import * as picking from './poses/picking.js';
import * as pose from './poses/pose.js';
import * as poseBook from './poses/pose-book.js';
import * as poses from './poses/poses.js';
import * as snap from './poses/snap.js';
import * as frames from './project/frames.js';
import * as marks from './project/marks.js';
import * as notes from './project/notes.js';
import * as project from './project/project.js';
import * as rate from './project/rate.js';
import * as bake from './scene/bake.js';
import * as bringIn from './scene/bring-in.js';
import * as characters from './scene/characters.js';
import * as contacts from './scene/contacts.js';
import * as delivery from './scene/delivery.js';
import * as ground from './scene/ground.js';
import * as paths from './scene/paths.js';
import * as props from './scene/props.js';
import * as ropes from './scene/ropes.js';
import * as takes from './scene/takes.js';
import * as targets from './scene/targets.js';
import * as apart from './stack/apart.js';
import * as contents from './stack/contents.js';
import * as converting from './stack/converting.js';
import * as crossings from './stack/crossings.js';
import * as findings from './stack/findings.js';
import * as groups from './stack/groups.js';
import * as handOver from './stack/hand-over.js';
import * as layerValues from './stack/layer-values.js';
import * as layers from './stack/layers.js';
import * as membership from './stack/membership.js';
import * as merging from './stack/merging.js';
import * as parts from './stack/parts.js';
import * as pickedLayers from './stack/picked-layers.js';
import * as variants from './stack/variants.js';
import * as weighing from './stack/weighing.js';
import * as comparing from './view/comparing.js';
import * as film from './view/film.js';
import * as modes from './view/modes.js';
import * as review from './view/review.js';
import * as trails from './view/trails.js';
import * as transport from './view/transport.js';
import * as view from './view/view.js';
import * as views from './view/views.js';

/** Every file of commands: what can be done by name is found here, and the palette reads it. */
const FILES: readonly object[] = [
  apart,
  bake,
  bringIn,
  channels,
  characters,
  comparing,
  film,
  review,
  notes,
  contacts,
  contents,
  converting,
  crossings,
  curl,
  delivery,
  face,
  curves,
  findings,
  frames,
  ground,
  groups,
  handOver,
  keys,
  kits,
  locker,
  layerValues,
  layers,
  limbs,
  limits,
  marks,
  membership,
  merging,
  parts,
  paths,
  pickedLayers,
  picking,
  pose,
  poseBook,
  poses,
  project,
  props,
  ropes,
  rate,
  sheets,
  snap,
  takes,
  targets,
  ties,
  timing,
  touchUp,
  modes,
  trails,
  transport,
  values,
  variants,
  view,
  views,
  walk,
  weighing,
  workedOut,
];

const isCommand = (value: unknown): value is Command =>
  typeof value === 'object' && value !== null && 'run' in value && 'name' in value;

/** The commands that need no argument, each once, in the order of their files. */
export const PLAIN_COMMANDS: readonly Command[] = [
  ...new Set(FILES.flatMap((file) => Object.values(file).filter(isCommand))),
].filter(({ palette }) => palette !== undefined);

/** Those that the palette lists under a heading. */
export const commandsUnder = (group: PaletteGroup): readonly Command[] =>
  PLAIN_COMMANDS.filter(({ palette }) => palette === group);
