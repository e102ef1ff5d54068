import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Rig } from '@evlay/core';
import { writeProject } from '@evlay/core/format';
import { SOLIDS as BRINDLES_SOLIDS } from './brindle/body.js';
import { quayRun } from './brindle/quay-run.js';
import { BRINDLE, PLACES as BRINDLES_PLACES } from './brindle/skeleton.js';
import { figureGlb, thingGlb } from './glb.js';
import { harbourGlb } from './harbour/harbour.js';
import type { Place } from './places.js';
import { SOLIDS as SKERRYS_SOLIDS } from './skerry/body.js';
import { gullFlight } from './skerry/gull-flight.js';
import { SKERRY, PLACES as SKERRYS_PLACES } from './skerry/skeleton.js';
import type { Solid } from './solid.js';
import { lantern, SOLIDS as WICKS_SOLIDS } from './wick/body.js';
import { suitCapture } from './wick/capture.js';
import { BARE, BARE_PLACES, BARE_SOLIDS, lanternOnHook } from './wick/hook.js';
import { lampLighting } from './wick/lamp-lighting.js';
import { placeOf, WICK, PLACES as WICKS_PLACES } from './wick/skeleton.js';

/** Writes the demo projects, and files to bring into them, into the folder that is named on the command line. */
const folder = process.argv[2];
mkdirSync(folder, { recursive: true });
const write = (name: string, content: Uint8Array | string) => writeFileSync(join(folder, name), content);

const figure = (name: string, rig: Rig, places: readonly Place[], solids: readonly Solid[]) =>
  figureGlb(
    name,
    rig,
    places.map((place) => place.at),
    solids,
  );
const wick = await figure('Wick', WICK, WICKS_PLACES, WICKS_SOLIDS);
const brindle = await figure('Brindle', BRINDLE, BRINDLES_PLACES, BRINDLES_SOLIDS);
const skerry = await figure('Skerry', SKERRY, SKERRYS_PLACES, SKERRYS_SOLIDS);
write('lamp-lighting.evlay', writeProject(await lampLighting(wick)));
const bare = await figure('Wick', BARE, BARE_PLACES, BARE_SOLIDS);
const lamp = await thingGlb('Lantern', placeOf('Lantern'), lantern());
write('lantern-hook.evlay', writeProject(lanternOnHook(bare, lamp)));
write('quay-run.evlay', writeProject(quayRun(brindle)));
write('gull-over-the-quay.evlay', writeProject(gullFlight(skerry)));
write('wick.glb', wick);
write('harbour.glb', await harbourGlb());
write('suit-walk.bvh', suitCapture());
