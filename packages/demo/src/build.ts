import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { writeProject } from '@evlay/core';
import { figureGlb } from './glb.js';
import { PIECES } from './wick/body.js';
import { lampLighting } from './wick/lamp-lighting.js';
import { PLACES, WICK } from './wick/skeleton.js';

/** Writes the demo projects into the folder that is named on the command line. */
const folder = process.argv[2];
mkdirSync(folder, { recursive: true });
const figure = await figureGlb(
  'Wick',
  WICK,
  PLACES.map((place) => place.at),
  PIECES,
);
writeFileSync(join(folder, 'lamp-lighting.evlay'), writeProject(lampLighting(figure)));
