import * as apart from './apart.js';
import * as bake from './bake.js';
import * as bringIn from './bring-in.js';
import * as channels from './channels.js';
import type { Command, PaletteGroup } from './command.js';
import * as comparing from './comparing.js';
import * as contacts from './contacts.js';
import * as contents from './contents.js';
import * as converting from './converting.js';
import * as crossings from './crossings.js';
import * as curl from './curl.js';
import * as curves from './curves.js';
import * as findings from './findings.js';
import * as frames from './frames.js';
import * as groups from './groups.js';
import * as handOver from './hand-over.js';
import * as keys from './keys.js';
import * as layerValues from './layer-values.js';
import * as layers from './layers.js';
import * as limbs from './limbs.js';
import * as limits from './limits.js';
import * as marks from './marks.js';
import * as membership from './membership.js';
import * as merging from './merging.js';
import * as parts from './parts.js';
import * as pickedLayers from './picked-layers.js';
import * as picking from './picking.js';
import * as pose from './pose.js';
import * as poseBook from './pose-book.js';
import * as poses from './poses.js';
import * as project from './project.js';
import * as props from './props.js';
import * as takes from './takes.js';
import * as targets from './targets.js';
import * as timing from './timing.js';
import * as touchUp from './touch-up.js';
import * as trails from './trails.js';
import * as transport from './transport.js';
import * as values from './values.js';
import * as variants from './variants.js';
import * as view from './view.js';
import * as views from './views.js';
import * as weighing from './weighing.js';

/** Every file of commands: what can be done by name is found here, and the palette reads it. */
const FILES: readonly object[] = [
  apart,
  bake,
  bringIn,
  channels,
  comparing,
  contacts,
  contents,
  converting,
  crossings,
  curl,
  curves,
  findings,
  frames,
  groups,
  handOver,
  keys,
  layerValues,
  layers,
  limbs,
  limits,
  marks,
  membership,
  merging,
  parts,
  pickedLayers,
  picking,
  pose,
  poseBook,
  poses,
  project,
  props,
  takes,
  targets,
  timing,
  touchUp,
  trails,
  transport,
  values,
  variants,
  view,
  views,
  weighing,
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
