import { rigHeight } from './pose.js';
import { positionsAtRest } from './rest.js';
import { characterOf, type Rig } from './rig.js';
import { rolesOf } from './roles.js';

/** Units in which skeletons are usually written, in metres: metres, decimetres, inches, centimetres, millimetres. */
const USUAL = [1, 0.1, 0.0254, 0.01, 0.001];
/**
 * Metres from the hip to the ankle of a grown person: 0.491 of a height of 1.7 m (Winter, Biomechanics and Motor Control of
 * Human Movement, 2009, segment lengths of Drillis and Contini). Between the two others it is a person, of whatever age.
 */
const LEG = 0.835;
const SHORTEST_LEG = 0.5;
const LONGEST_LEG = 1.25;
/** Metres that anything without two legs is high. */
const HEIGHT = 1.6;
const LOWEST = 1.2;
const HIGHEST = 2.2;

/** Metres a unit, guessed from how long the legs of a person are, or else how high the figure is, for files that do not say. */
export function guessMetresPerUnit(rig: Rig): number {
  const leg = legLength(rig);
  if (leg) return guessFrom(leg, LEG, SHORTEST_LEG, LONGEST_LEG);
  const height = rigHeight(rig);
  return height > 0 ? guessFrom(height, HEIGHT, LOWEST, HIGHEST) : 1;
}

const guessFrom = (length: number, metres: number, least: number, most: number): number =>
  USUAL.find((unit) => length * unit > least && length * unit < most) ??
  Number((metres / length).toPrecision(2));

/** The mean length of the legs of a figure that has two, from hip to ankle; undefined where it has not. */
function legLength(scene: Rig): number | undefined {
  const rig = characterOf(scene);
  const roles = rolesOf(rig);
  // What walks on four legs is no person.
  if (rig.joints.some(({ name }) => /(fore|front).*(paw|foot|hoof)/i.test(name))) return undefined;
  const places = positionsAtRest(rig);
  const find = (role: string) => roles.findIndex((one) => one?.role === role);
  const lengths = ['left', 'right'].map((side) => {
    const chain = ['UpperLeg', 'LowerLeg', 'Foot'].map((part) => find(side + part));
    if (chain.includes(-1)) return 0;
    return [1, 2].reduce(
      (sum, k) =>
        sum +
        Math.hypot(...[0, 1, 2].map((axis) => places[3 * chain[k] + axis] - places[3 * chain[k - 1] + axis])),
      0,
    );
  });
  return lengths.every((length) => length > 0) ? (lengths[0] + lengths[1]) / 2 : undefined;
}
