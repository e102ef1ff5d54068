import type { Rig } from '@evlay/core';
import { FileError, kindOf, readAnyTake, readCharacter, readMapping, writeWhole } from '@evlay/core/format';
import { fitOnFloor, keepHands } from '@evlay/core/make';
import { fitMotion, followsOf, mappingOf, matchRigs, restingJoints } from '@evlay/core/match';
import { everyMember, type Mapping } from '@evlay/core/take';
import { besideGltf, checkOut, readFile, tellWarnings, writeFile } from './files.js';
import { checkStandardOutput } from './standard.js';

interface FitFlags {
  rig: string;
  mapping?: string;
  clip?: string;
  out: string;
  /** Whether hands keep their distances. */
  hands: boolean;
  json?: boolean;
}

/** `evlay fit`: puts a take on the rig of a character. */
export async function fitCommand(path: string, flags: FitFlags): Promise<void> {
  checkStandardOutput(flags.out, { '--json': flags.json });
  const { take, warnings } = await readAnyTake(path, readFile(path), flags.clip);
  const character = await readCharacter(flags.rig, readFile(flags.rig), besideGltf(flags.rig));
  const { rig } = character;
  checkOut(flags.out);
  const mapping = flags.mapping
    ? checked(flags.mapping, readMapping(flags.mapping, readFile(flags.mapping)), take.rig, rig)
    : mappingOf(take.rig, rig, matchRigs(take.rig, rig));
  const matched = followsOf(take.rig, rig, mapping).filter((joint) => joint >= 0).length;
  if (matched === 0)
    throw new FileError(
      path,
      `none of its joints could be matched to a joint of ${flags.rig}, expected a --mapping`,
    );
  const onFloor = fitOnFloor(take, rig, mapping);
  const kept = flags.hands ? keepHands(take, onFloor, mapping) : { motion: onFloor, moved: [] };
  const fitted = everyMember(kept.motion);
  const resting = restingJoints(rig, fitMotion({ ...take, count: 1 }, rig, mapping));
  const written = encode(flags.out, character.figure.bytes, rig, fitted, take.name);
  await writeFile(flags.out, written.bytes);
  const rests = `${resting.length} of ${rig.joints.length} joints are matched to none and rest: ${resting.join(', ')}`;
  const said = [
    ...warnings,
    ...character.warnings,
    ...written.warnings,
    ...(resting.length > 0 ? [rests] : []),
  ];
  tellWarnings(said);
  if (flags.json) {
    const summary = {
      out: flags.out,
      joints: rig.joints.length,
      matched,
      mapping,
      resting,
      frames: fitted.count,
      fps: 1 / fitted.interval,
      handsMoved: kept.moved,
      warnings: said,
    };
    process.stdout.write(`${JSON.stringify(summary)}\n`);
  }
}

/** Refuses a mapping that names joints which one of the skeletons does not have. */
function checked(file: string, mapping: Mapping, source: Rig, target: Rig): Mapping {
  const [theirs, own] = [source, target].map(({ joints }) => new Set(joints.map(({ name }) => name)));
  for (const [joint, followed] of Object.entries(mapping)) {
    const place = `${file}: joints[${JSON.stringify(joint)}]`;
    if (!own.has(joint)) throw new FileError(place, 'unknown joint, expected a joint of the rig');
    if (!theirs.has(followed))
      throw new FileError(place, `unknown joint "${followed}", expected a joint of the take`);
  }
  return mapping;
}

/** The motion in a file of the kind that its ending says, on the character's file where that can be. */
function encode(
  out: string,
  character: Uint8Array,
  rig: Rig,
  motion: ReturnType<typeof everyMember>,
  name: string,
): { bytes: Uint8Array; warnings: readonly string[] } {
  const { writes } = kindOf(out)!;
  const times = { ...motion, first: 0, step: 1 };
  return writeWhole(writes!.format(rig, times, { name, metresPerUnit: 1, onto: character }), motion);
}
