import { Box, chakra, Text } from '@chakra-ui/react';
import { Play } from 'lucide-react';
import { useEffect, useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { useLocation, useNavigate } from 'react-router';
import type { Command } from '../commands/command.js';
import { LAYER_SHORTCUTS, PROJECT_SHORTCUTS, TRANSPORT_SHORTCUTS } from '../commands/shortcuts.js';
import { Header } from '../controls/bars/Header.js';
import { KeyTable } from './KeyTable.js';

const ORDER: readonly [step: string, how: string][] = [
  [
    'Bring in',
    'Drop a character (.glb, .vrm, or .gltf with its files), a motion capture (.bvh) or a project (.evlay) on Projects. Drop more captures on an open project: they come to Takes, fitted to the character.',
  ],
  [
    'Make takes',
    'On Takes, correct which joint follows which, trim, change the rate, the axis that points up or the scale; see when the feet stand and where hands were kept near. Then set a take as base or add it as a layer. What came in stays as it came.',
  ],
  [
    'Layer',
    'Add an additive layer to add to what is below, an override layer to replace it, a take layer to play another performance on top, or a walk by rule, whose numbers stand on the panel of the layer. Pick joints first to limit a layer to them.',
  ],
  [
    'Key',
    'Click the character and turn the joint by its handles, or move a hand, a foot, a paw or the head: its limb follows. With auto key on, that sets keys at the playhead on the lit layer. The tab Joint has every channel as a number, how several joints turn together, and touch-ups, which fade away on both sides.',
  ],
  [
    'Pose',
    'On Poses, copy a pose and paste it on another frame, layer, side or character; dial between the keys beside, to rest or to what is below. Keep poses in the pose book, of this project or of this browser: a click applies one, L and R say to which side, the number how far.',
  ],
  [
    'Weigh',
    'Drag in the lane to set how much the layer counts, drag a part on the body map to set it there, pull the feet of the shape for the span.',
  ],
  [
    'Blend',
    'Under Blending on the panel of the layer, make borders between parts soft, hand over from one layer to another, find crossings of two performances, fade around picked keys, and convert a layer with its motion kept. Group layers that belong together; keep the stack as a variant and switch between them.',
  ],
  [
    'Time',
    'Shift the lit layer, change its speed, or loop it over its keys, the range or a cycle of your choice; the gap between its ends is shown and closed, of a take too, and a key in a loop shows again in every round.',
  ],
  [
    'Polish',
    'Press C for the curves of what is picked: drag keys and handles, say how keys are met and left, flatten or simplify them. Under Timing on the panel of the layer, slide joints one after another, add noise, let a tail or a rope follow, mirror or retime. Show trails to see arcs and spacing, and smooth them with the brush.',
  ],
  [
    'Place',
    'Move and turn the whole performance of a take layer by its handle or by numbers, with keys if you want, or let it begin where another ends.',
  ],
  [
    'Scene',
    'Drop another character on Layers, or add one under Joint, where it is also moved, turned and named: its chip at the top of the view lights it, and map, takes and lanes are of it. What is picked stays on another, or is put exactly onto it or onto a surface that you click; a performance and feet that stand can be on a prop that moves. A copied pose is pasted on another character, and a right click on a layer copies it there, mirrored if you want; kits are put on the character that is lit. What touches others is found and kept. Pick two joints or props and hang a rope or a chain between them. Let a prop go along a path and drag its points; add a camera and look through it.',
  ],
  [
    'Ground',
    'Under Joint, let the picked hand, foot or prop stay here or on a prop or joint: a target that you drag, key and weigh as a layer. Keep contacts holds the feet where they stand, whatever the layers below do. Findings lists what breaks, with the layers that it comes from; the headroom of a layer shows how far it can be turned up.',
  ],
  [
    'Compare',
    'Play a layer alone, mute, solo, and read down the cells which layer drives which part. Compare in the corner of the view shows ghosts, divides the view into before and now, opens a second camera that stays, and shows reference videos and pictures in step: beside, over the view, or as a plate behind the character through a camera.',
  ],
  [
    'Show',
    'Make a film in the corner of the view writes a range, from the view or a camera, as video, GIF or pictures, with variants side by side if you want and what you like written on it. A review file (Ctrl+K, Make a review file) is one page that plays variants in any browser: the other turns layers, draws, writes and sends a small file back. Drop that here: each note is a mark on the time axis with its drawing over the view, to be answered and ticked off, and what was turned is a variant. Draw over the view or a reference while notes are open; an arc is measured against the trail of the picked joint. On Bake, Deliver puts the bake, a film, notes and findings into one zip.',
  ],
  [
    'Fold',
    'Merge a layer with the one below, a run of picked layers, a group or the whole stack: what comes out is shown before anything happens, as few keys or as every frame. Make keys of the base to pose on it. A finished version that comes back is taken apart on Takes: what differs from the base becomes layers.',
  ],
  [
    'Bake',
    'Write every sample out, or few keys that are chosen on a chart: onto the character’s own GLB file, in which everything else stays as it is, or as BVH, with the names, order and hierarchy of the joints as they came in. Variants and stretches between marks come in one zip or as animations of one GLB, curves as CSV; a bake can also become a take, a layer or a new base, of all joints or some, on every frame, every nth, or those with keys.',
  ],
  [
    'Repeat',
    'Pick layers and make a kit of them: it shows on which events each hangs, feet that come down, marks, and lets that be changed; an event that is not where it should be is dragged there. Put it on any take from the locker (Shift+L), after a look at which events meet; or pick takes on Takes and put it on all of them, and look through the sheet, the worst first. Layers, poses and takes that serve other projects are kept in the locker too. On the command line evlay apply does a whole folder.',
  ],
];

/** The steps of which there are moving pictures, as scripts/moving.mjs takes them. */
const FILMED = new Set(['Layer', 'Key', 'Pose', 'Weigh', 'Polish', 'Ground', 'Compare', 'Bake']);

const SHORTCUTS: readonly Command[] = [...TRANSPORT_SHORTCUTS, ...LAYER_SHORTCUTS, ...PROJECT_SHORTCUTS];

const GESTURES: readonly [where: string, what: string][] = [
  [
    'Anywhere',
    'Escape takes a drag back. A right click shows what can be done there. The line at the lower edge says what the thing under the pointer can do.',
  ],
  [
    'A number',
    'Drag it sideways, finely with Shift; or click and type. +5 adds, *2 and /2 scale, 50 % is a half; Tab goes on to the next number.',
  ],
  [
    'The character',
    'A click picks a joint, Shift picks it too, a double click picks its limb. Drag its handles to turn all that is picked. With Move joints the end of a limb takes the limb along, with Shift without bending it; the ball on knee or elbow turns it round; the hips move over feet that stay. The left button turns the camera, the right one moves it, the wheel goes nearer. What is grey takes no keys of the lit layer.',
  ],
  [
    'The body map',
    'A click picks a part, Shift picks it too. Drag up or down to weigh the lit layer there: finely with Shift, its whole curve with Alt. With the brush a stroke weighs every part that it passes, with Alt 0; a diamond marks a part that is keyed.',
  ],
  [
    'A lane’s shape',
    'Drag up or down to weigh the layer. Where the weight is keyed, the keys beside the pointer move; Alt or the handle at the right end scales the whole curve. A double click adds a key. With the pencil on, a drag draws.',
  ],
  [
    'A lane’s head',
    'A click on the name lights the layer, with Ctrl it is picked too, with Shift all up to it: what is changed on one changes all, numbers by as much. Drag the mark to another place in the stack; held over the lower half of a group’s head it goes into the group.',
  ],
  ['Feet and slopes', 'Drag the feet of a shape for the span, the dots on its slopes for the fades.'],
  [
    'Keys',
    'A click picks the keys of a frame, Shift picks more, a drag beside keys and shapes picks a box of them. Drag to move them, with Ctrl copies; points of a weight move up and down too. The bar below the ruler scales them by its ends, about the other end or, with Alt, about the playhead.',
  ],
  [
    'Where limbs stand',
    'In the lane of the base and of contacts, drag a span or its ends; a double click adds one. By key, the arrows move it, with Shift and Alt its ends, Delete takes it out.',
  ],
  [
    'Curves',
    'Drag a key in time and value: Shift along one alone, Alt by part frames, Ctrl a copy. A handle turns the other one along, with Alt it goes by itself. A double click on a curve sets a key and leaves the curve as it is. The wheel zooms the values, with Alt it moves along them; with Ctrl and Shift the time.',
  ],
  [
    'Trails',
    'A dot is a frame. The balls are keys of the lit layer: dragged, the joint is posed on that frame, or its target brought along. With the brush a drag over a trail smooths it, as a touch-up on the lit additive layer.',
  ],
  [
    'The ruler',
    'Press to go to a frame. A drag with Shift says which part is played; a double click on its bar plays all again. Shift+G marks a frame: keys come onto marks that are near.',
  ],
  [
    'The triangle',
    'Opens a lane: a row for every part and joint that the layer weighs, and one for every joint that it keys, which opens into its channels. Keys of a limb are picked together unless the link beside Auto key is opened.',
  ],
  [
    'Alone',
    'The square in a lane plays that layer alone over the base, with Alt over the rest pose; once more brings all back.',
  ],
  [
    'The time axis',
    'Press to go to a frame, drag to scrub. Drag its ends for the range. Ctrl and the wheel zoom, Shift and the wheel move along.',
  ],
  [
    'When feet stand',
    'In a lit base and on Takes: drag a span or its ends; a double click beside it adds one, Delete takes it out.',
  ],
];

/** The order of work, all keys and all gestures. */
export function Help() {
  const navigate = useNavigate();
  useEffect(() => {
    document.title = 'Help · Evlay';
  }, []);
  const { hash } = useLocation();
  const [wanted, setWanted] = useState('');
  useHotkeys('escape', () => void navigate(-1));
  // A question mark on a panel opens its place.
  useEffect(() => {
    if (hash) document.getElementById(decodeURIComponent(hash.slice(1)))?.scrollIntoView({ block: 'start' });
  }, [hash]);
  const has = (...texts: readonly string[]) => {
    const words = wanted.toLowerCase().split(/\s+/).filter(Boolean);
    return words.every((word) => texts.some((text) => text.toLowerCase().includes(word)));
  };
  const steps = ORDER.flatMap(([step, how], k) => (has(step, how) ? [{ step, how, k }] : []));
  const commands = SHORTCUTS.filter(({ name, shortcut = '' }) => has(name, shortcut));
  const gestures = GESTURES.filter((texts) => has(...texts));
  return (
    <Box height="100%" display="flex" flexDirection="column">
      <Header />
      <Box
        as="main"
        flex="1"
        overflowY="auto"
        px="8"
        py="6"
        maxWidth="820px"
        width="100%"
        mx="auto"
        tabIndex={0}
      >
        <Box display="flex" alignItems="center" mb="4">
          <chakra.h1 fontSize="22px" fontWeight="600" flex="1">
            Help
          </chakra.h1>
          <chakra.button type="button" onClick={() => navigate(-1)} color="lamp" cursor="pointer">
            Back
          </chakra.button>
        </Box>
        <chakra.input
          type="search"
          aria-label="Search Help"
          placeholder="Search: curves, foot, weigh …"
          value={wanted}
          onChange={({ target }) => setWanted(target.value)}
          width="100%"
          height="32px"
          px="3"
          mb="5"
          bg="panel"
          borderWidth="1px"
          borderColor="line"
          borderRadius="l2"
        />
        {steps.length + commands.length + gestures.length === 0 && (
          <Text color="quiet" mb="4" role="status">
            Nothing here speaks of that. Ctrl+K in a project finds any command by its name.
          </Text>
        )}
        <chakra.h2 fontWeight="600" mb="2">
          The order of work
        </chakra.h2>
        <Box as="ol" mb="6">
          {steps.map(({ step, how, k }) => (
            <Box
              as="li"
              key={step}
              id={step}
              display="flex"
              gap="3"
              py="1.5"
              borderBottomWidth="1px"
              borderColor="line"
            >
              <Text color="quiet" fontFamily="mono" width="16px" flex="none">
                {k + 1}
              </Text>
              <Text fontWeight="600" width="90px" flex="none">
                {step}
              </Text>
              <Box flex="1">
                <Text>{how}</Text>
                {FILMED.has(step) && <MovingPicture step={step} />}
              </Box>
            </Box>
          ))}
        </Box>
        <chakra.h2 fontWeight="600" mb="2">
          Keys
        </chakra.h2>
        <KeyTable commands={SHORTCUTS} shown={commands} />
        <chakra.h2 fontWeight="600" mt="6" mb="2">
          Gestures
        </chakra.h2>
        <Box as="dl">
          {gestures.map(([where, what]) => (
            <Box key={where} display="flex" gap="3" py="1.5" borderBottomWidth="1px" borderColor="line">
              <chakra.dt fontWeight="600" width="190px" flex="none">
                {where}
              </chakra.dt>
              <chakra.dd>{what}</chakra.dd>
            </Box>
          ))}
        </Box>
      </Box>
    </Box>
  );
}

/** A step as it is done on the demo, shown where somebody asks for it. */
function MovingPicture({ step }: { step: string }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <chakra.button
        type="button"
        aria-expanded={open}
        aria-label={`Watch: ${step}`}
        onClick={() => setOpen(!open)}
        display="inline-flex"
        alignItems="center"
        gap="1"
        mt="1"
        height="24px"
        color="lamp"
        cursor="pointer"
      >
        <Play size={13} aria-hidden />
        {open ? 'Close' : 'Watch'}
      </chakra.button>
      {open && (
        <chakra.video
          src={`/help/${step.toLowerCase()}.webm`}
          aria-label={`${step}, done on the demo, without sound`}
          controls
          autoPlay
          loop
          muted
          playsInline
          width="100%"
          aspectRatio="3 / 2"
          mt="1"
          borderRadius="l2"
          borderWidth="1px"
          borderColor="line"
        />
      )}
    </>
  );
}
