import { describe, expect, it } from 'vitest';
import { WICK } from '../../demo/src/wick/skeleton.js';
import { walk } from '../../demo/src/wick/walk.js';
import { random } from '../bench/subject.js';
import { type Finding, findingSteps } from '../src/check/index.js';
import { keepContacts, projectFromTake } from '../src/edit/index.js';
import { readTake } from '../src/format/index.js';
import { finished, keyed, newKey, newLayer, type Take } from '../src/index.js';
import { findContacts } from '../src/make/index.js';
import { resampled } from '../src/take/index.js';
import { captureBytes, threeReader } from './capture.js';
import { times } from './reference-math.js';

/** A body with the names of its legs, and metres a unit. */
interface Body {
  readonly take: Take;
  readonly metres: number;
  readonly leg: number;
  readonly thigh: string;
}

const { take: capture } = readTake('01_01.bvh', captureBytes());
const CAPTURE: Body = { take: capture, metres: 0.0564, leg: 14.8, thigh: 'UpLeg' };
const WALK: Body = {
  take: { ...capture, ...walk(), rig: WICK, id: 'walk' },
  metres: 1,
  leg: 0.82,
  thigh: 'UpperLeg',
};
const at = (body: Body, rate: number): Body => ({
  ...body,
  take: { ...body.take, ...resampled(body.take, rate) },
});

const smooth = (u: number) => {
  const t = Math.min(1, Math.max(0, u));
  return t * t * (3 - 2 * t);
};
const contactsIn = ({ take, metres }: Body) => findContacts(take, metres);

function found({ take, metres }: Body, kind: Finding['kind']): Finding[] {
  const known = { ...take, contacts: findContacts(take, metres) };
  const project = {
    ...projectFromTake(known),
    metresPerUnit: metres,
    range: [0, take.count - 1] as const,
    fps: 1 / take.interval,
  };
  return finished(findingSteps(project)).filter((one) => one.kind === kind);
}

/** The thigh of a side turned so that its foot slides over some samples, and comes back after another. */
function slides(body: Body, side: string, from: number, to: number, out: number, metres: number): Take {
  const { take, leg, thigh } = body;
  const { joints, values } = take.rotations;
  const joint = take.rig.joints.findIndex(({ name }) => name === side + thigh);
  const turned = values.slice();
  for (let s = 0; s < take.count; s++) {
    const share = smooth((s - from) / (to - from)) * (1 - smooth((s - out) / (0.15 / take.interval)));
    const half = (share * metres) / body.metres / leg / 2;
    const o = 4 * (s * joints.length + [...joints].indexOf(joint));
    const turn = [Math.sin(half), 0, 0, Math.cos(half)];
    turned.set(times(turn, [...values.subarray(o, o + 4)]), o);
  }
  return { ...take, rotations: { ...take.rotations, values: turned } };
}

describe('feet that stand', () => {
  it('and slide by 2 cm are found, fast or slowly', () => {
    const next = random(4);
    const missed: string[] = [];
    let all = 0;
    for (const rate of [30, 100])
      for (const seconds of [0.15, 0.3]) {
        const body = at(WALK, rate);
        expect(found(body, 'slide')).toEqual([]);
        for (const { joint, from, to } of contactsIn(body).spans) {
          if ((to - from) / rate < 0.5) continue;
          const start = from + (0.15 + 0.2 * next()) * (to - from);
          const end = start + seconds * rate;
          const bad = slides(body, joint.replace('Foot', ''), start, end, to, next() < 0.5 ? 0.02 : -0.02);
          const seen = found({ ...body, take: bad }, 'slide').filter(
            (one) => one.joint === joint && one.from < end && one.to > start,
          );
          all++;
          if (seen.length === 0) missed.push(`${joint} at ${start} of ${rate}, ${seconds} s`);
        }
      }
    expect(all).toBeGreaterThan(20);
    expect(missed.length / all, missed.join(', ')).toBeLessThan(0.1);
  });

  it('are not said to slide where their toes stay', () => {
    // The toes as three's reader has them: how far they come while they are slower than 0.15 m/s.
    const read = threeReader(new TextDecoder().decode(captureBytes()));
    let [right, all] = [0, 0];
    for (const rate of [30, 120]) {
      const body = at(CAPTURE, rate);
      const places = Array.from({ length: body.take.count }, (_, s) => read(s / rate));
      for (const { joint, from, to, amount } of found(body, 'slide')) {
        if (amount < 2) continue;
        const toes = places.map((place) => place.get(joint!.replace('Foot', 'ToeBase'))!);
        const reach = Math.max(1, Math.round(rate / 40));
        const way: [number, number][] = [[0, 0]];
        for (let s = Math.ceil(from); s + 1 <= to; s++) {
          const [a, b] = [toes[Math.max(0, s - reach)], toes[Math.min(toes.length - 1, s + reach)]];
          const speed = (Math.hypot(b.x - a.x, b.z - a.z) * body.metres * rate) / (2 * reach);
          const [x, z] = way[way.length - 1];
          const [stepX, stepZ] = [toes[s + 1].x - toes[s].x, toes[s + 1].z - toes[s].z];
          way.push(speed < 0.15 ? [x + stepX, z + stepZ] : [x, z]);
        }
        const far = Math.max(...way.flatMap(([x, z]) => way.map(([u, w]) => Math.hypot(x - u, z - w))));
        all++;
        if (far * body.metres >= 0.02) right++;
      }
    }
    expect(all).toBeGreaterThan(20);
    expect(right / all).toBeGreaterThan(0.85);
  });

  it('by contacts count as far as they are seen below a layer that takes over the legs', () => {
    const { take } = at(WALK, 30);
    const known = { ...take, contacts: findContacts(take, 1) };
    const walking = { ...projectFromTake(known), range: [0, take.count - 1] as const, fps: 30 };
    const kept = keepContacts(walking)!.project;
    // Both legs swing by 60 degrees and back, over all frames.
    const swing = { keys: [0, 30, 60, 90, 120].map((frame, k) => newKey(frame, k % 2 === 0 ? -0.5 : 0.5)) };
    const channels = Object.fromEntries(
      ['Left', 'Right'].flatMap((side) =>
        ['UpperLeg', 'LowerLeg', 'Foot'].map((name) => [
          side + name,
          { rx: name === 'UpperLeg' ? swing : { keys: [newKey(0, 0)] } },
        ]),
      ),
    );
    const slidesWith = (weight: number) => {
      const over = newLayer('Kick', 'override', { content: keyed(channels), weight });
      const project = { ...kept, layers: [...kept.layers, over] };
      return finished(findingSteps(project)).filter(({ kind }) => kind === 'slide');
    };
    expect(slidesWith(0)).toEqual([]);
    expect(slidesWith(0.3).length).toBeGreaterThan(0);
    expect(slidesWith(1)).toEqual([]);
  });

  it('a centimetre under the floor are found, though other stances stand elsewhere', () => {
    let [seen, all] = [0, 0];
    const rate = 30;
    const body = at(CAPTURE, rate);
    for (const { joint, from, to } of contactsIn(body).spans) {
      if ((to - from) / rate < 0.8) continue;
      const [a, b] = [from + 0.35 * (to - from), from + 0.65 * (to - from)];
      const ease = 0.12 * rate;
      const { translations } = body.take;
      const values = translations.values.slice();
      for (let s = 0; s < body.take.count; s++)
        values[3 * s * translations.joints.length + 1] -=
          (0.01 / body.metres) * smooth((s - a + ease) / ease) * smooth((b + ease - s) / ease);
      const take = { ...body.take, translations: { ...translations, values } };
      const low = found({ ...body, take }, 'floor').some(
        (one) => one.joint === joint && one.more === 'below' && one.frame > a - 3 && one.frame < b + 3,
      );
      all++;
      if (low) seen++;
    }
    expect(all).toBeGreaterThan(10);
    expect(seen / all).toBeGreaterThan(0.85);
  });
});
