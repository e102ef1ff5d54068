import type { Rig } from '../joint.js';
import type { Side } from '../names.js';
import { positionsAtRest } from '../rest.js';
import { type Kind, limbKindOf } from './words.js';

/** What each joint of a character is to its body, and the side that its name says, if it says one. */
export interface BodyKinds {
  readonly kinds: readonly Kind[];
  readonly sides: readonly Side[];
}

/** A run of joints of one kind that hangs on a joint of another: a leg, a wing, a tail. */
interface Chain {
  readonly kind: Kind;
  side: Side;
  readonly joints: number[];
  /** Joints one below the other, ends that files give without a joint among them. */
  deep: number;
}

/** Limbs of this kind have a side; those of other kinds only where their names say one. */
const SIDED = /^(Arm|(Fore|Mid|Hind)?Leg|Wing|Fin|Antenna)$/;
/** A limb stands on a side where it is off the middle by more than this part of the rig's size. */
const OFF = 0.02;

/**
 * Names the parts of a body of any kind. A limb's side is said by its name or by where it stands at rest, left along
 * +x, as glTF has it. Of two legs on each side and no arms those in front are fore legs; more limbs of a kind are numbered
 * on each side, from the front back, tails and tentacles in the order of the file.
 */
export function namedParts(rig: Rig, { kinds, sides }: BodyKinds): string[] {
  const chainOf: (Chain | undefined)[] = [];
  const chains: Chain[] = [];
  const depths: number[] = [];
  for (const [j, { parent, ends }] of rig.joints.entries()) {
    const kind = limbKindOf(kinds[j]);
    if (!kind) continue;
    const above = parent < 0 ? undefined : chainOf[parent];
    const goesOn = above?.kind === kind && (sides[j] === '' || sides[j] === above.side);
    const chain: Chain = goesOn ? above : { kind, side: sides[j], joints: [], deep: 0 };
    if (!goesOn) chains.push(chain);
    chain.joints.push(j);
    chainOf[j] = chain;
    depths[j] = goesOn ? depths[parent] + 1 : 1;
    chain.deep = Math.max(chain.deep, depths[j] + (ends.length > 0 ? 1 : 0));
  }
  const places = positionsAtRest(rig);
  sideByPlace(rig, chains, places);
  const names = new Map<Chain, (kind: Kind) => string>();
  for (const group of grouped(chains)) {
    const whole = group.filter(({ kind, deep }) => deep >= (/Arm|Leg/.test(kind) ? 3 : 1));
    const numbered = whole.length > 1;
    if (numbered && SIDED.test(group[0].kind))
      whole.sort((a, b) => places[3 * b.joints[0] + 2] - places[3 * a.joints[0] + 2]);
    const pairs = group[0].kind === 'Leg' && isFourLegged(chains);
    for (const chain of group) {
      const at = whole.indexOf(chain);
      const which = pairs && at >= 0 ? ['Fore', 'Hind'][at] : '';
      const number = numbered && at >= 0 && !pairs ? String(at + 1) : '';
      names.set(chain, (kind) => partName(which + kind, chain.side) + number);
    }
  }
  return kinds.map((kind, j) => {
    const chain = chainOf[j];
    return chain ? names.get(chain)!(kind) : kind;
  });
}

/** A limb that has no side is a part of its own, but for arms and legs: there is no such part in the middle. */
function partName(kind: Kind, side: Side): string {
  if (side) return side + kind;
  return /Arm|Hand|Leg|Foot/.test(kind) ? 'other' : kind.toLowerCase();
}

const isWhole = (one: Chain, kind: Kind): boolean => one.kind === kind && one.deep >= 3;

/** Two whole legs on each side, no arms, and none that are called fore or hind. */
function isFourLegged(chains: readonly Chain[]): boolean {
  const legs = (side: Side) => chains.filter((one) => isWhole(one, 'Leg') && one.side === side).length;
  return (
    legs('left') === 2 &&
    legs('right') === 2 &&
    !chains.some((one) => isWhole(one, 'Arm') || /Fore|Hind/.test(one.kind))
  );
}

function sideByPlace(rig: Rig, chains: readonly Chain[], places: Float64Array): void {
  const across = rig.joints.map((_, j) => places[3 * j]);
  const size = Math.max(
    ...[0, 1, 2].map((axis) => {
      const along = rig.joints.map((_, j) => places[3 * j + axis]);
      return Math.max(...along) - Math.min(...along);
    }),
    1e-9,
  );
  for (const chain of chains) {
    if (chain.side || !SIDED.test(chain.kind)) continue;
    const mean = chain.joints.reduce((sum, j) => sum + across[j], 0) / chain.joints.length;
    const off = mean - across[0];
    if (Math.abs(off) > OFF * size) chain.side = off > 0 ? 'left' : 'right';
  }
}

/** Chains by kind and side. */
function grouped(chains: readonly Chain[]): Chain[][] {
  const groups = new Map<string, Chain[]>();
  for (const chain of chains) {
    const key = chain.side + chain.kind;
    groups.set(key, [...(groups.get(key) ?? []), chain]);
  }
  return [...groups.values()];
}
