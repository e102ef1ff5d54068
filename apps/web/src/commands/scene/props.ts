import type { Prop, PropShape } from '@evlay/core';
import { newId, sizeFor } from '@evlay/core';
import {
  addCameras,
  addProp,
  changeProp,
  type ExtraJoint,
  extraJoints,
  freePropName,
  movePropAsJoint,
  removeProp,
  renameProp,
} from '@evlay/core/edit';
import {
  FileError,
  hasSkin,
  inFile,
  meshBounds,
  type ReadCamera,
  readCameras,
  readSkeleton,
  splitGlb,
} from '@evlay/core/format';
import type { Vector3 } from '@evlay/core/rig';
import type { Editor } from '../../editor/editor.js';
import { addCharacterAndTell } from '../../jobs/add-character.js';
import { notify } from '../../ui/notify.js';
import { type Change, command } from '../command.js';

const NAMES: Record<PropShape, string> = { box: 'Box', ball: 'Ball', cylinder: 'Cylinder' };

/** Where a new prop is put: on the floor, beside the character as it stands at the playhead. */
function besideCharacter({ stage }: Editor, [width, height]: Vector3): Vector3 {
  const { matrices, project } = stage.get();
  return [matrices[12] + 2 * width, (project.ground?.[1] ?? 0) + height / 2, matrices[14] + width];
}

/** Puts the cameras of a file where they stand in it, those that move on their way, and picks the last. */
function bringCameras(editor: Editor, cameras: readonly ReadCamera[], change: Change): void {
  const { metresPerUnit, scene } = editor.history.project();
  const unit = scene.characters[0].figure ? 1 : metresPerUnit;
  let layer: string | undefined;
  let picked: number[] = [];
  change((project) => {
    const added = addCameras(project, cameras, unit);
    layer = added.layer;
    picked = added.props.slice(-1);
    return added.project;
  });
  if (layer !== undefined) editor.session.light(layer);
  editor.session.setState({ picked, parts: [], tab: 'joint' });
}

/** Puts a prop into the scene and picks it. Its place is rounded, so that it reads well. */
function putIn(editor: Editor, prop: Prop, change: Change): void {
  change((project) => addProp(project, prop));
  const { rig } = editor.history.project();
  editor.session.setState({
    picked: [rig.joints.length - 1],
    parts: [],
    tab: 'joint',
  });
}

export const addShape = command<PropShape>({
  name: 'Add a prop',
  run(editor, shape, change) {
    const project = editor.history.project();
    const size = sizeFor(project.rig);
    const at = besideCharacter(editor, size).map((value) =>
      Number(value.toPrecision(3)),
    ) as unknown as Vector3;
    const name = freePropName(project, NAMES[shape]);
    putIn(editor, { name, shape, size, at, turn: [0, 0, 0] }, change);
  },
});

/** Puts a camera into the scene that looks as the view does. */
export const addCamera = command({
  name: 'Add a camera that looks as the view does',
  palette: 'Handles and view',
  refusal: ({ viewpoint }) => (viewpoint ? undefined : { reason: 'The view is not shown' }),
  run(editor, _, change) {
    const project = editor.history.project();
    const look = editor.viewpoint?.();
    if (!look) return;
    const way = look.from.map((value, axis) => value - look.at[axis]);
    const level = Math.hypot(way[0], way[2]);
    const turn = [-Math.atan2(way[1], level), Math.atan2(way[0], way[2]), 0].map(
      (angle) => Math.round((angle * 180 * 100) / Math.PI) / 100,
    ) as unknown as Vector3;
    const at = look.from.map((value) => Number(value.toPrecision(5))) as unknown as Vector3;
    const name = freePropName(project, 'Camera');
    const camera = { fov: VIEWED };
    putIn(editor, { name, shape: 'box', size: sizeFor(project.rig), at, turn, camera }, change);
  },
});

/** The field of view of the view, in degrees. */
const VIEWED = 32;

/** Brings in a GLB file as a prop, or as the looks of one that is there. */
export const bringInProp = command<{ readonly file: File; readonly prop?: string }>({
  name: 'Bring in a prop from a file',
  later: true,
  run(editor, { file, prop }, change) {
    file.arrayBuffer().then(
      (buffer) => {
        const bytes = new Uint8Array(buffer);
        let seen: readonly ReadCamera[] = [];
        try {
          inFile(file.name, () => {
            splitGlb(bytes);
            if (prop === undefined) seen = readCameras(bytes, editor.history.project().fps);
          });
        } catch (error) {
          if (!(error instanceof FileError)) throw error;
          notify({ title: 'Not brought in', text: error.message, alarm: true });
          return;
        }
        if (prop === undefined && hasSkin(bytes)) {
          if (seen.length > 0) bringCameras(editor, seen, change);
          void addCharacterAndTell(editor, [{ path: file.name, file }]);
          notify({
            title: 'It came as a character',
            text: `${file.name} has joints of its own: layers move them as those of a character.`,
          });
          return;
        }
        if (seen.length > 0 && meshBounds(readSkeleton(bytes)) === undefined) {
          bringCameras(editor, seen, change);
          return;
        }
        const model = { id: newId(), file: file.name, bytes };
        if (prop !== undefined) {
          change((project) => changeProp(project, prop, { model }));
          return;
        }
        const project = editor.history.project();
        const size = sizeFor(project.rig);
        const [x, , z] = besideCharacter(editor, size);
        // What its cameras look at stays where they look.
        const at = (seen.length > 0 ? [0, 0, 0] : [x, 0, z]).map((value) =>
          Number(value.toPrecision(3)),
        ) as unknown as Vector3;
        const name = freePropName(project, file.name.replace(/\.[^.]*$/, '') || 'Prop');
        putIn(editor, { name, shape: 'box', size, at, turn: [0, 0, 0], model }, change);
        if (seen.length > 0) bringCameras(editor, seen, change);
      },
      () => notify({ title: 'Not brought in', text: `${file.name} cannot be read.`, alarm: true }),
    );
  },
});

export const setProp = command<{ readonly name: string; readonly values: Partial<Omit<Prop, 'name'>> }>({
  name: 'Change the prop',
  run: (_, { name, values }, change) => change((project) => changeProp(project, name, values)),
});

/** Lets a prop move as a joint that a take has beside those of the character. */
export const moveAsJoint = command<{ readonly prop: string; readonly as: ExtraJoint }>({
  name: 'Move the prop as a take has it',
  refusal: ({ history }, { as }) =>
    extraJoints(history.project()).some(({ layer, joint }) => layer === as.layer && joint === as.joint)
      ? undefined
      : { reason: `No take that is played has ${as.joint} any more` },
  run({ session }, { prop, as }, change) {
    let made: string | undefined;
    change((project) => {
      const added = movePropAsJoint(project, prop, as);
      made = added?.id;
      return added?.project ?? project;
    });
    if (made) session.light(made);
  },
});

export const renameTheProp = command<{ readonly from: string; readonly to: string }>({
  name: 'Rename the prop',
  refusal({ history }, { from, to }) {
    const name = to.trim();
    if (name === '' || name === from) return undefined;
    return freePropName(history.project(), name) === name
      ? undefined
      : { reason: `${name} is the name of a joint, a part or a prop already` };
  },
  run: (_, { from, to }, change) => change((project) => renameProp(project, from, to)),
});

export const removeTheProp = command<string>({
  name: 'Take the prop out',
  run({ session }, name, change) {
    change((project) => removeProp(project, name));
    session.setState({ picked: [], parts: [] });
  },
});
