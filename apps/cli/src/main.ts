import { endingsText, kindOf, LIMITS, WRITTEN_KINDS } from '@evlay/core/format';
import { Command, CommanderError, InvalidArgumentError, Option } from 'commander';
import pack from '../package.json' with { type: 'json' };
import { applyCommand } from './apply.js';
import { type BakeFlags, bakeCommand } from './bake.js';
import { bakeTogether } from './bake-together.js';
import { checkCommand } from './check.js';
import { fitCommand } from './fit.js';
import { infoCommand } from './info.js';
import { joinCommand } from './join.js';
import { keysCommand } from './keys.js';
import { layersCommand } from './layers.js';
import { mergeCommand } from './merge.js';
import { fail, mindOutput } from './report.js';
import { DELIVERED_FILMS, deliverCommand } from './show/deliver.js';
import { filmCommand } from './show/film.js';
import { reviewCommand } from './show/review.js';
import { stageCommand } from './stage.js';
import { outputName, takeStandardInput } from './standard.js';
import { workCommand } from './work.js';

/** `1280x720`. */
function parseSize(text: string): [number, number] {
  const found = /^(\d{2,5})[x×](\d{2,5})$/i.exec(text);
  if (!found) throw new InvalidArgumentError('expected a size such as 1280x720');
  return [Number(found[1]), Number(found[2])];
}

function parseRange(text: string): [number, number] {
  const match = /^(-?\d+(?:\.\d+)?):(-?\d+(?:\.\d+)?)$/.exec(text);
  const range = match ? ([Number(match[1]), Number(match[2])] as [number, number]) : undefined;
  if (!range || range[0] > range[1]) throw new InvalidArgumentError('Expected two frames, such as 0:120.');
  return range;
}

function parseOut(given: string): string {
  const file = outputName(given);
  if (!kindOf(file)?.writes)
    throw new InvalidArgumentError(`Expected a name that ends in ${endingsText(WRITTEN_KINDS)}.`);
  return file;
}

function parseStackOut(file: string): string {
  if (!/\.(json|evlay)$/i.test(file))
    throw new InvalidArgumentError('Expected a name that ends in .json or .evlay.');
  return file;
}

const parseJoinOut = (given: string): string =>
  /\.(json|evlay)$/i.test(given) ? parseStackOut(given) : parseOut(given);

function parseCount(text: string): number {
  const count = Number(text);
  if (!Number.isInteger(count) || count < 0)
    throw new InvalidArgumentError('Expected a whole number, 0 or more.');
  return count;
}

function parseJobs(text: string): number {
  const count = Number(text);
  if (!Number.isInteger(count) || count < 1 || count > 256)
    throw new InvalidArgumentError('Expected a whole number from 1 to 256.');
  return count;
}

function parseRate(text: string): number {
  const rate = Number(text);
  if (!(rate >= 1 / LIMITS.rate && rate <= LIMITS.rate))
    throw new InvalidArgumentError(`Expected samples a second, ${1 / LIMITS.rate} to ${LIMITS.rate}.`);
  return rate;
}

function parseLimit(text: string): number {
  const limit = Number(text);
  if (!(limit > 0) || !Number.isFinite(limit)) throw new InvalidArgumentError('Expected a number above 0.');
  return limit;
}

const ROOT = [
  '--root <folder>',
  'refuse a stack that names files outside of this folder, wherever links lead',
] as const;

const program = new Command('evlay')
  .description(
    'Layers of animation on a performance: bake, merge and check stacks, fit takes to characters, join takes, look into files.',
  )
  .version(pack.version)
  .exitOverride()
  .addHelpText(
    'after',
    '\nA file may be -: standard input or, for what is written, standard output (-.glb: as GLB).',
  )
  .configureOutput({ outputError: (text, write) => write(`evlay: ${text.replace(/^error: /, '')}`) });

program
  .command('bake')
  .description('bakes a stack file or an .evlay project to a motion file')
  .argument('<stack>', 'a stack in JSON, an .evlay project, or the folder of an unzipped one')
  .requiredOption(
    '--out <file>',
    `where to write; the ending says the format: ${endingsText(WRITTEN_KINDS)}`,
    parseOut,
  )
  .option(
    '--range <a:b>',
    'first and last frame, both included (default: the range of the stack)',
    parseRange,
  )
  .option('--fps <n>', 'samples a second (default: the rate of the stack)', parseRate)
  .option(
    '--tolerance <length>',
    'few keys: no joint is further off than this, in units of the rig (GLB only)',
    parseLimit,
  )
  .option('--angle <degrees>', 'few keys: no joint is turned further off than this (GLB only)', parseLimit)
  .option('--straight', 'few keys that are joined straight, for programs that read no curves (GLB only)')
  .option('--props', 'with the props as nodes of their own beside the character (GLB only)')
  .option('--variant <name>', 'a variant of the stack; "all" bakes each of them to a file named after it')
  .option(
    '--character <name>',
    'a further character by itself (default: the rig); "all" bakes each to a file named after it',
  )
  .option('--together', 'all characters into one GLB, each where it stands in the scene')
  .option('--json', 'print a summary as JSON on standard output')
  .option(...ROOT)
  .exitOverride()
  .action((path: string, flags: BakeFlags) =>
    flags.together ? bakeTogether(path, flags) : bakeCommand(path, flags),
  );

const TOLERANCE = [
  '--tolerance <length>',
  'no joint is further off than this, in units of the rig (default: a 1700th of the height)',
  parseLimit,
] as const;
const ANGLE = [
  '--angle <degrees>',
  'no joint is turned further off than this (default: 0.2)',
  parseLimit,
] as const;

/** A flag that can be given again and again. */
const several = (one: string, before: string[] = []): string[] => [...before, one];

program
  .command('review')
  .description('one page that plays variants of a project in any browser, without a network, and takes notes')
  .argument('<stack>', 'a stack in JSON, an .evlay project, or the folder of an unzipped one')
  .requiredOption('--out <file>', 'the page to write: .html')
  .option('--range <a:b>', 'first and last frame (default: the range of the stack)', parseRange)
  .option('--variant <name>', 'a variant that is shown; again for more (default: all)', several)
  .option(
    '--turn <layer>',
    'a layer that can be turned up and down there, by its id or name; again for more',
    several,
  )
  .option('--json', 'print a summary as JSON on standard output')
  .option(...ROOT)
  .exitOverride()
  .action(reviewCommand);

program
  .command('film')
  .description('a film of a project, made by the page of the application in a browser without a screen')
  .argument('<stack>', 'a stack in JSON, an .evlay project, or the folder of an unzipped one')
  .requiredOption('--out <file>', 'the film to write: .mp4, .webm, .gif, .zip for pictures, .png for one')
  .option('--range <a:b>', 'first and last frame (default: the range of the stack)', parseRange)
  .option('--fps <n>', 'pictures a second (default: the rate of the stack)', parseRate)
  .option('--size <wxh>', 'of the picture in pixels (default: 1280x720)', parseSize)
  .option('--camera <name>', 'the camera of the scene that films (default: in front of the character)')
  .option('--variant <name>', 'a variant; again for more, one after the other', several)
  .option('--beside', 'several variants side by side')
  .option('--numbers', 'write the number of the frame on it')
  .option('--layers', 'write layers and their weights on it')
  .option('--line <text>', 'write a line on it')
  .option('--notes', 'show notes at their frames, with what was drawn')
  .option('--json', 'print a summary as JSON on standard output')
  .option(...ROOT)
  .exitOverride()
  .action(filmCommand);

program
  .command('deliver')
  .description('bake, film, notes, findings and a manifest of a project, as one zip')
  .argument('<stack>', 'a stack in JSON, an .evlay project, or the folder of an unzipped one')
  .requiredOption('--out <file>', 'the zip to write: .zip')
  .option('--format <name>', `what is baked: ${WRITTEN_KINDS.map(({ id }) => id).join(', ')}`)
  .option('--range <a:b>', 'first and last frame (default: the range of the stack)', parseRange)
  .option('--fps <n>', 'samples a second of the bake (default: the rate of the stack)', parseRate)
  .option('--variant <name>', 'a variant that is baked and filmed; again for more', several)
  .option('--tolerance <length>', 'few keys: no joint is further off than this', parseLimit)
  .option('--angle <degrees>', 'few keys: no joint is turned further off than this', parseLimit)
  .option('--props', 'with the props as nodes of their own beside the character (GLB only)')
  .addOption(new Option('--film <kind>', 'what is filmed').choices(DELIVERED_FILMS).default('mp4'))
  .option('--size <wxh>', 'of the film in pixels (default: 1280x720)', parseSize)
  .option('--camera <name>', 'the camera of the scene that films (default: in front of the character)')
  .option(
    '--pattern <text>',
    'names of files; {project}, {piece}, {what} and {range} are filled in (default: "{project} {piece} {what}")',
  )
  .option('--json', 'print a summary as JSON on standard output')
  .option(...ROOT)
  .exitOverride()
  .action(deliverCommand);

program
  .command('merge')
  .description('folds a run of layers into one; the stack looks the same in its range')
  .argument('<stack>', 'a stack in JSON, an .evlay project, or the folder of an unzipped one')
  .requiredOption('--from <layer>', 'the lowest layer of the run, by its id or name')
  .requiredOption('--to <layer>', 'the topmost layer of the run')
  .requiredOption('--out <file>', 'the stack to write: .json, or .evlay for a project', parseStackOut)
  .option('--every-frame', 'as a take with every frame in place of few keys')
  .option(...TOLERANCE)
  .option(...ANGLE)
  .option('--json', 'print a summary as JSON on standard output')
  .option(...ROOT)
  .exitOverride()
  .action(mergeCommand);

program
  .command('keys')
  .description('makes a stack whose base holds a take as keys that can be worked on')
  .argument('<take>', 'a .bvh or a .glb')
  .requiredOption('--out <file>', 'the stack to write: .json, or .evlay for a project', parseStackOut)
  .option('--clip <name>', 'which animation, where a .glb holds several')
  .option(...TOLERANCE)
  .option(...ANGLE)
  .option('--json', 'print a summary as JSON on standard output')
  .exitOverride()
  .action(keysCommand);

program
  .command('layers')
  .description(
    'takes a finished motion apart: layers over the original that give it, named by part, strongest first',
  )
  .argument('<original>', 'the motion that it began with: a .bvh or a .glb')
  .argument('<finished>', 'what became of it, on the same rig, at any rate')
  .requiredOption('--out <file>', 'the stack to write: .json, or .evlay for a project', parseStackOut)
  .option(
    '--count <n>',
    'how many layers beside the one with what is left (default: what explains 95 %)',
    parseCount,
  )
  .option(...TOLERANCE)
  .option(...ANGLE)
  .option('--json', 'print a summary as JSON on standard output')
  .exitOverride()
  .action(layersCommand);

program
  .command('fit')
  .description('puts a take on the rig of a character: joints are matched, rest poses aligned, travel scaled')
  .argument('<take>', 'a .bvh or a .glb')
  .requiredOption('--rig <file>', 'the character: a .glb, or a .gltf with its files')
  .option('--mapping <file>', 'which joint follows which, as JSON (default: by names, places and shape)')
  .option('--clip <name>', 'which animation, where a .glb holds several')
  .option('--no-hands', 'do not keep the distances of hands that come near one another or the body')
  .requiredOption(
    '--out <file>',
    'where to write; .glb puts it on the character, .bvh writes the motion',
    parseOut,
  )
  .option('--json', 'print a summary with the mapping as JSON on standard output')
  .exitOverride()
  .action(fitCommand);

program
  .command('join')
  .description(
    'puts takes one after the other: each takes over where it fits best, placed by its feet, into one motion or a stack of layers',
  )
  .argument('<takes...>', 'two or more of .bvh or .glb on one skeleton, in their order')
  .requiredOption(
    '--out <file>',
    `where to write: ${endingsText(WRITTEN_KINDS)} for a motion, .json or .evlay for its layers`,
    parseJoinOut,
  )
  .option(
    '--within <seconds>',
    'how much of the end of each, and of the beginning of the next, is looked through',
    parseLimit,
    2,
  )
  .option('--json', 'print where they take over as JSON on standard output')
  .exitOverride()
  .action(joinCommand);

const QUEUE = [
  '--queue <url>',
  'share the takes by a queue on a Redis server, redis://HOST:PORT: see evlay work',
] as const;
const QUEUE_ROOT = [
  '--root <folder>',
  'with --queue: the folder that all machines see and in which all files lie',
  '.',
] as const;

program
  .command('apply')
  .description(
    'puts a kit on takes, a file or all of a folder: a project, a bake and a place in the report for each, the worst first',
  )
  .argument('<kit>', 'an .evlay-kit, or an .evlay-kit.zip with its takes')
  .requiredOption('--to <files...>', 'takes, .bvh or .glb, and folders of them')
  .option('--rig <file>', 'a character to which the takes are fitted (default: the one that each comes with)')
  .requiredOption('--out <folder>', 'where the projects, the bakes and the report come to')
  .addOption(new Option('--format <kind>', 'what is baked to').choices(['glb', 'bvh']).default('glb'))
  .option(
    '--tolerance <length>',
    'few keys: no joint is further off than this, in units of the rig (GLB only)',
    parseLimit,
  )
  .option('--angle <degrees>', 'few keys: no joint is turned further off than this (GLB only)', parseLimit)
  .option('--jobs <n>', 'how many takes are worked on at once (default: the number of cores)', parseJobs)
  .option('--resume', 'leave out what is there already, whole, and made of the same files')
  .option('--watch', 'go on with every take that appears in the folders, until it is interrupted')
  .option(...QUEUE)
  .option(...QUEUE_ROOT)
  .option('--json', 'print a summary as JSON on standard output')
  .exitOverride()
  .action(applyCommand);

program
  .command('work')
  .description('does what evlay apply --queue has put on a queue, on this machine, until it is interrupted')
  .requiredOption(...QUEUE)
  .option(...QUEUE_ROOT)
  .option('--jobs <n>', 'how many takes are worked on at once (default: the number of cores)', parseJobs)
  .option('--until-empty', 'end when nothing is left to do')
  .exitOverride()
  .action(workCommand);

const parsePercent = (text: string): number => {
  const percent = Number(text);
  if (!(percent >= 0 && percent <= 100)) throw new InvalidArgumentError('Expected a number from 0 to 100.');
  return percent;
};

program
  .command('stage')
  .description(
    'stands in for a capture stage: writes a take to a folder, or sends its samples as they would be captured',
  )
  .argument('<take>', 'a .bvh or a .glb')
  .option('--to <folder>', 'write copies of it there')
  .option('--count <n>', 'how many copies', parseCount, 1)
  .option('--every <seconds>', 'seconds between two copies', parseLimit, 5)
  .option('--stream <port>', 'send its samples over a WebSocket, a line of JSON each', parseCount)
  .option('--lose <percent>', 'with --stream: how many samples are lost on the way', parsePercent, 0)
  .option('--weak <percent>', 'with --stream: of how many a joint is seen badly', parsePercent, 0)
  .option('--once', 'with --stream: end after one performance')
  .exitOverride()
  .action(stageCommand);

program
  .command('check')
  .description(
    'finds what is wrong with the motion of a take, a stack or a project, and which layers it comes from',
  )
  .argument('<file>', 'a .bvh, a .glb or .gltf, a stack in JSON, an .evlay project, or the folder of one')
  .addOption(
    new Option('--grade <grade>', 'exit with status 3 where something of this grade or above is found')
      .choices(['note', 'warn', 'fault'])
      .default('warn'),
  )
  .option(
    '--limits <file>',
    'from which amounts on something is found, as JSON (default: those of the project)',
  )
  .option('--json', 'print the findings as JSON on standard output')
  .option(...ROOT)
  .exitOverride()
  .action(checkCommand);

program
  .command('info')
  .description('shows joints, frames, rate, length and size of a motion, or the layers of a stack')
  .argument('<file>', 'a .bvh, a .glb or .gltf, a stack in JSON or an .evlay project')
  .option('--json', 'print it as JSON')
  .option(
    '--events',
    'list the events of its motion: where limbs come down and leave the floor, apexes, marks',
  )
  .option('--fps <n>', 'frames a second in which events are counted (default: its own rate)', parseRate)
  .option(...ROOT)
  .exitOverride()
  .action(infoCommand);

mindOutput();
try {
  await program.parseAsync(takeStandardInput(process.argv.slice(2)), { from: 'user' });
} catch (error) {
  if (error instanceof CommanderError) {
    // Help and version are no errors; every other thing that commander refuses is a wrong call.
    process.exitCode = error.exitCode === 0 ? 0 : 2;
  } else fail(error);
}
