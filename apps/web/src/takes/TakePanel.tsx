import { Box, Button, chakra, Text } from '@chakra-ui/react';
import { type Reference, type Take } from '@evlay/core';
import { checkTake, takeUnit } from '@evlay/core/check';
import { removeTake, renameTake, setBaseTake, sourceOf, takeUses } from '@evlay/core/edit';
import { feetOf, findContacts, handsOf } from '@evlay/core/make';
import { playsOn } from '@evlay/core/match';
import { CONTACT_LIMITS, UP_AXES } from '@evlay/core/take';
import { Footprints, RotateCcw, Trash2, TriangleAlert } from 'lucide-react';
import { useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { Row } from '../panel/Row.js';
import { addTakeAboveLit } from '../state/actions.js';
import { notify } from '../state/notify.js';
import { goTo, playhead } from '../state/playhead.js';
import { edit, projectStore, useProject } from '../state/project-store.js';
import { setSession } from '../state/session-store.js';
import { Choice } from '../ui/Choice.js';
import { DragNumber } from '../ui/DragNumber.js';
import { NameField } from '../ui/NameField.js';
import { ToolButton } from '../ui/ToolButton.js';
import { changeContacts, remake, rematch } from '../workers/make.js';
import { factsOf } from './TakeList.js';

/** The chosen take: its name, what is doubtful, what is done with it, and how it is made. */
export function TakePanel({ take, onMatch }: { take: Take; onMatch: () => void }) {
  const project = useProject((current) => current);
  const findings = useMemo(() => checkTake(project, take), [project, take]);
  const plays = playsOn(project.rig, take);
  return (
    <Box as="section" aria-label="Chosen take" p="3" display="flex" flexDirection="column" gap="2">
      <Box display="flex" alignItems="center" gap="1">
        <NameField
          key={take.id}
          label="Name of the take"
          name={take.name}
          onRename={(name) => edit((p) => renameTake(p, take.id, name))}
          fontWeight="600"
          flex="1"
          minWidth="0"
          mx="-1.5"
        />
        <ToolButton label="Take it out of the project" icon={Trash2} onClick={() => takeOut(take)} />
      </Box>
      <Text color="quiet">{factsOf(take)}</Text>
      {findings.map(({ text, sample }) => (
        <Box key={text} display="flex" gap="2" alignItems="flex-start" role="note">
          <Box color="lamp" pt="2px" flex="none">
            <TriangleAlert size={13} aria-hidden />
          </Box>
          <Text flex="1">{text}</Text>
          {sample !== undefined && (
            <Choice on={false} onClick={() => goTo(sample * take.interval * project.fps)}>
              show
            </Choice>
          )}
        </Box>
      ))}
      {plays ? <Use take={take} /> : <NotYet take={take} />}
      <Making take={take} onMatch={onMatch} />
      <Contacts take={take} />
    </Box>
  );
}

function takeOut(take: Take): void {
  const { layers, takes } = takeUses(projectStore.getState().project!, take.id);
  if (layers.length + takes.length === 0) {
    edit((project) => removeTake(project, take.id));
    setSession({ take: undefined });
    return;
  }
  const what = layers.length > 0 ? `played by ${layers.join(', ')}` : `what ${takes.join(', ')} is made of`;
  notify({ title: `“${take.name}” stays`, text: `It is ${what}. Take that out first.` });
}

const Heading = ({ children }: { children: React.ReactNode }) => (
  <chakra.h2 fontWeight="600" mt="2" pt="2" borderTopWidth="1px" borderColor="line">
    {children}
  </chakra.h2>
);

/** What a take on the character is used for. */
function Use({ take }: { take: Take }) {
  const navigate = useNavigate();
  const base = useProject((project) => project.layers[0].take?.id === take.id);
  const [reference, setReference] = useState<Reference>('first');
  const add = (mode: 'additive' | 'override') => {
    addTakeAboveLit(take.id, mode, reference);
    void navigate('..', { relative: 'path' });
  };
  return (
    <>
      <Heading>Use</Heading>
      <Row label="base">
        <Button
          size="xs"
          bg="lamp"
          color="onLamp"
          disabled={base}
          onClick={() => edit((project) => setBaseTake(project, take.id))}
        >
          {base ? 'It is the base' : 'Set as base'}
        </Button>
      </Row>
      <Row label="layer">
        <Button size="xs" variant="outline" borderColor="line" color="text" onClick={() => add('override')}>
          Add as override
        </Button>
        <Button size="xs" variant="outline" borderColor="line" color="text" onClick={() => add('additive')}>
          Add as additive
        </Button>
      </Row>
      <Row label="since">
        <Choice on={reference === 'first'} onClick={() => setReference('first')}>
          first
        </Choice>
        <Choice on={reference === 'rest'} onClick={() => setReference('rest')}>
          rest
        </Choice>
        <Choice
          on={typeof reference === 'number'}
          title="An additive layer adds the change from the sample that is shown"
          onClick={() =>
            setReference(Math.round(playhead.get() / (projectStore.getState().project!.fps * take.interval)))
          }
        >
          {typeof reference === 'number' ? `sample ${reference}` : 'shown sample'}
        </Choice>
      </Row>
    </>
  );
}

/** A take on another skeleton can only be fitted. */
function NotYet({ take }: { take: Take }) {
  const [busy, setBusy] = useState(false);
  return (
    <Box bg="ground" borderRadius="l2" p="3">
      <Text mb="2">It was recorded on another skeleton. Fit it to the character to use it.</Text>
      <Button
        size="xs"
        bg="lamp"
        color="onLamp"
        loading={busy}
        onClick={() => {
          setBusy(true);
          void rematch(take).finally(() => setBusy(false));
        }}
      >
        Fit to the character
      </Button>
    </Box>
  );
}

const AXIS_TITLES = {
  x: 'The capture stands along X; it is turned upright',
  y: 'The capture stands upright',
  z: 'The capture stands along Z; it is turned upright',
};

/** The steps by which a take is made of its source, each of which can be taken back. */
function Making({ take, onMatch }: { take: Take; onMatch: () => void }) {
  const project = useProject((current) => current);
  const source = sourceOf(project, take);
  const made = take.made ?? { from: take.id };
  const rate = made.rate ?? 1 / source.interval;
  const [first, last] = made.trim ?? [0, source.count - 1];
  const plays = playsOn(project.rig, take);
  return (
    <>
      <Heading>Make</Heading>
      <Row label="trim">
        <LaterNumber
          label="First sample that is kept"
          value={first}
          min={0}
          max={last}
          step={1}
          decimals={0}
          onSet={(value) => remake(take, { trim: [Math.round(value), last] })}
        />
        <Text color="quiet">to</Text>
        <LaterNumber
          label="Last sample that is kept"
          value={last}
          min={first}
          max={source.count - 1}
          step={1}
          decimals={0}
          onSet={(value) => remake(take, { trim: [first, Math.round(value)] })}
        />
        <Text color="quiet">of {source.count}</Text>
        {made.trim && (
          <ToolButton
            label="Keep all samples"
            icon={RotateCcw}
            onClick={() => void remake(take, { trim: undefined })}
          />
        )}
      </Row>
      <Row label="rate">
        <LaterNumber
          label="Samples a second"
          value={rate}
          min={1}
          max={1000}
          step={1}
          decimals={2}
          width="62px"
          onSet={(value) => remake(take, { rate: value })}
        />
        <Text color="quiet">a second</Text>
        {made.rate !== undefined && (
          <ToolButton
            label="The rate of the source"
            icon={RotateCcw}
            onClick={() => void remake(take, { rate: undefined })}
          />
        )}
      </Row>
      <Row label="up axis">
        {UP_AXES.map((axis) => (
          <Choice
            key={axis}
            on={(made.up ?? 'y') === axis}
            title={AXIS_TITLES[axis]}
            onClick={() => void remake(take, { up: axis === 'y' ? undefined : axis })}
          >
            {axis.toUpperCase()}
          </Choice>
        ))}
      </Row>
      <Row label="scale">
        <LaterNumber
          label="Scale of all lengths"
          value={made.scale ?? 1}
          min={0.0001}
          max={10000}
          step={0.01}
          decimals={4}
          width="70px"
          onSet={(value) => remake(take, { scale: value === 1 ? undefined : value })}
        />
        <Text color="quiet">times</Text>
      </Row>
      <Row label="travel">
        <Choice
          on={made.feet ?? false}
          title="Where the feet stand, the root moves so that they do not slide"
          onClick={() => void remake(take, { feet: made.feet ? undefined : true })}
        >
          match to the feet
        </Choice>
      </Row>
      <Row label="joints">
        <Text flex="1" truncate>
          {made.mapping
            ? `${Object.keys(made.mapping).length} of ${project.rig.joints.length} matched`
            : plays
              ? 'the character’s own'
              : 'of another skeleton'}
        </Text>
        <Button size="xs" variant="outline" borderColor="line" color="text" onClick={onMatch}>
          Match joints
        </Button>
      </Row>
    </>
  );
}

interface LaterNumberProps {
  readonly label: string;
  readonly value: number;
  readonly min: number;
  readonly max: number;
  readonly step: number;
  readonly decimals: number;
  readonly width?: string;
  readonly onSet: (value: number) => Promise<void>;
}

/** A number whose work is done when the hand rests for a moment: every try of a drag would be too much. */
function LaterNumber({ value, onSet, width = '54px', ...props }: LaterNumberProps) {
  const [draft, setDraft] = useState<number>();
  const [timer, setTimer] = useState<ReturnType<typeof setTimeout>>();
  return (
    <DragNumber
      {...props}
      width={width}
      read={() => draft ?? value}
      onChange={(wanted) => {
        clearTimeout(timer);
        setDraft(wanted);
        setTimer(setTimeout(() => void onSet(wanted).finally(() => setDraft(undefined)), 350));
      }}
    />
  );
}

/** By which limits feet, and hands if wanted, were found to stand. */
function Contacts({ take }: { take: Take }) {
  const project = useProject((current) => current);
  const { limits, joints } = take.contacts ?? { limits: CONTACT_LIMITS, joints: feetOf(take.rig) };
  const hands = handsOf(take.rig);
  const withHands = hands.some((hand) => joints.includes(hand));
  const find = (values: Partial<typeof limits>, drag = Symbol('find'), watched = joints) =>
    changeContacts(
      take.id,
      findContacts(take, takeUnit(project, take), { ...limits, ...values }, watched),
      drag,
    );
  return (
    <>
      <Heading>Contacts</Heading>
      <Row label="below">
        <DragNumber
          label="A foot stands below, centimetres"
          read={() => limits.height * 100}
          min={0}
          max={100}
          step={0.1}
          decimals={1}
          onChange={(value, { drag }) => find({ height: value / 100 }, drag)}
        />
        <Text color="quiet">cm, slower than</Text>
        <DragNumber
          label="A foot stands slower than, metres a second"
          read={() => limits.speed}
          min={0}
          max={10}
          step={0.01}
          decimals={2}
          onChange={(value, { drag }) => find({ speed: value }, drag)}
        />
        <Text color="quiet">m/s</Text>
        <ToolButton label="Find contacts anew" icon={Footprints} onClick={() => find({})} />
      </Row>
      {hands.length > 0 && (
        <Row label="of">
          <Choice on={!withHands} onClick={() => find({}, undefined, feetOf(take.rig))}>
            feet
          </Choice>
          <Choice on={withHands} onClick={() => find({}, undefined, [...feetOf(take.rig), ...hands])}>
            feet and hands
          </Choice>
        </Row>
      )}
    </>
  );
}
