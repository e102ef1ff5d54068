import type { FileKind } from './kind.js';

/** A project: a zip of its stack with all that it needs. */
export const PROJECT: FileKind = {
  id: 'evlay',
  name: 'project',
  ending: '.evlay',
  begins: 'PK',
  what: 'a project',
  opens: 1,
};

/** A zip of files that belong together. */
export const ZIP: FileKind = { id: 'zip', name: 'zip', ending: '.zip', what: 'files that belong together' };
