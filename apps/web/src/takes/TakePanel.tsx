import { Box, Button, chakra, Text } from '@chakra-ui/react';
import { baseOf, type Project, type Reference, type Take, takeOf } from '@evlay/core';
import { rootBoneRefusal } from '@evlay/core/bake';
import { checkTake, takeUnit } from '@evlay/core/check';
import { sourceOf } from '@evlay/core/edit';
import { feetOf, findContacts, handsOf } from '@evlay/core/make';
import { playsOn } from '@evlay/core/match';
import { CONTACT_LIMITS, type Making, UP_AXES } from '@evlay/core/take';
import { Footprints, RotateCcw, Trash2, TriangleAlert } from 'lucide-react';
import { useMemo, useState } from 'react';
import { useNavigate } from 'react-router';
import { perform } from '../commands/command.js';
import {
  changeContacts,
  changeMaking,
  fitTake,
  makeAgain,
  renameTheTake,
  takeOut,
  useAsBase,
} from '../commands/scene/takes.js';
import { addTakeAboveLit } from '../commands/stack/layers.js';
import { scrub } from '../commands/view/transport.js';
import { CommandButton, CommandChoice } from '../controls/CommandButton.js';
import { DragNumber } from '../controls/DragNumber.js';
import { useEditor, useProject } from '../editor/context.js';
import { Choice } from '../ui/Choice.js';
import { NameField } from '../ui/NameField.js';
import { Row } from '../ui/Row.js';
import { ToolButton } from '../ui/ToolButton.js';
import { FaceMatch } from './FaceMatch.js';
import { useMadeId, useMaking } from './making.js';
import { TakeApart } from './TakeApart.js';
import { TakeFindings } from './TakeFindings.js';
import { factsOf } from './TakeList.js';

/** The chosen take: its name, what is doubtful, what is done with it, and how it is made. */
export function TakePanel({ take, onMatch }: { take: Take; onMatch: () => void }) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const making = useMaking(take);
  const findings = useMemo(() => checkTake(project, take), [project, take]);
  const plays = playsOn(project.rig, take);
  return (
    <Box as="section" aria-label="Chosen take" p="3" display="flex" flexDirection="column" gap="2">
      <Box display="flex" alignItems="center" gap="1">
        <NameField
          key={take.id}
          label="Name of the take"
          name={take.name}
          onRename={(name) => perform(editor, renameTheTake, { take: take.id, name })}
          fontWeight="600"
          flex="1"
          minWidth="0"
          mx="-1.5"
        />
        <CommandButton command={takeOut} arg={take.id} icon={Trash2} />
      </Box>
      <Text color="quiet" role="status">
        {!making ? factsOf(take) : making.refused ? `not made: ${making.refused}` : 'making …'}
      </Text>
      {making?.refused && (
        <Box>
          <CommandChoice command={makeAgain} arg={take.id} on={false}>
            try again
          </CommandChoice>
        </Box>
      )}
      {findings.map(({ text, sample }) => (
        <Box key={text} display="flex" gap="2" alignItems="flex-start" role="note">
          <Box color="lamp" pt="2px" flex="none">
            <TriangleAlert size={13} aria-hidden />
          </Box>
          <Text flex="1">
            {text}
            {sample !== undefined && ` at sample ${sourceSample(project, take, sample)}`}
          </Text>
          {sample !== undefined && (
            <CommandChoice command={scrub} arg={sample * take.interval * project.fps} on={false}>
              show
            </CommandChoice>
          )}
        </Box>
      ))}
      <TakeFindings take={take} sampleOf={(sample) => sourceSample(project, take, sample)} />
      <FaceMatch take={take} />
      {plays ? <Use take={take} /> : <NotYet take={take} />}
      {plays && <TakeApart take={take} />}
      <MakingRows take={take} onMatch={onMatch} />
      <Contacts take={take} />
    </Box>
  );
}

/** The sample of a take's source that a sample of it comes from: the time axis counts those. */
function sourceSample(project: Project, take: Take, sample: number): number {
  const source = sourceOf(project, take);
  return (take.made?.trim?.[0] ?? 0) + Math.round((sample * take.interval) / source.interval);
}

const Heading = ({ children }: { children: React.ReactNode }) => (
  <chakra.h2 fontWeight="600" mt="2" pt="2" borderTopWidth="1px" borderColor="line">
    {children}
  </chakra.h2>
);

/** What a take on the character is used for. */
function Use({ take }: { take: Take }) {
  const editor = useEditor();
  const navigate = useNavigate();
  const base = useProject((project) => takeOf(baseOf(project))?.take === take.id);
  const [reference, setReference] = useState<Reference>('first');
  const add = (mode: 'additive' | 'override') => {
    if (perform(editor, addTakeAboveLit, { take: take.id, mode, reference }))
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
          onClick={() => perform(editor, useAsBase, take.id)}
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
      <Row label="adds">
        <Text color="quiet" flex="none">
          change from
        </Text>
        <Choice
          on={reference === 'first'}
          title="An additive layer adds how the take differs from its first sample"
          onClick={() => setReference('first')}
        >
          start
        </Choice>
        <Choice
          on={reference === 'rest'}
          title="An additive layer adds how the take differs from the rest pose"
          onClick={() => setReference('rest')}
        >
          rest
        </Choice>
        <Choice
          on={typeof reference === 'number'}
          title="An additive layer adds the change from the sample that is shown"
          onClick={() =>
            setReference(Math.round(editor.playhead.get() / (editor.history.project().fps * take.interval)))
          }
        >
          {typeof reference === 'number' ? `sample ${reference}` : 'here'}
        </Choice>
      </Row>
    </>
  );
}

/** A take on another skeleton can only be fitted. */
function NotYet({ take }: { take: Take }) {
  const editor = useEditor();
  const making = useMaking(take);
  return (
    <Box bg="ground" borderRadius="l2" p="3">
      <Text mb="2">It was recorded on another skeleton. Fit it to the character to use it.</Text>
      <Button
        size="xs"
        bg="lamp"
        color="onLamp"
        loading={take.made?.mapping && making && !making.refused}
        onClick={() => perform(editor, fitTake, { take: take.id })}
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
function MakingRows({ take, onMatch }: { take: Take; onMatch: () => void }) {
  const project = useProject((current) => current);
  const source = sourceOf(project, take);
  const made = take.made ?? { from: take.id };
  const madeId = useMadeId(take);
  const by = (steps: Partial<Making>) => ({ take: take.id, steps, made: madeId });
  const rate = made.rate ?? 1 / source.interval;
  const [first, last] = made.trim ?? [0, source.count - 1];
  const plays = playsOn(project.rig, take);
  const making = useMaking(take);
  return (
    <>
      <Heading>Make</Heading>
      <Row label="trim">
        <DragNumber
          label="First sample that is kept"
          read={() => first}
          min={0}
          max={last}
          step={1}
          decimals={0}
          width="54px"
          command={changeMaking}
          to={(value) => by({ trim: [Math.round(value), last] })}
        />
        <Text color="quiet">to</Text>
        <DragNumber
          label="Last sample that is kept"
          read={() => last}
          min={first}
          max={source.count - 1}
          step={1}
          decimals={0}
          width="54px"
          command={changeMaking}
          to={(value) => by({ trim: [first, Math.round(value)] })}
        />
        <Text color="quiet">of {source.count}</Text>
        {made.trim && (
          <CommandButton
            command={changeMaking}
            arg={by({ trim: undefined })}
            label="Keep all samples"
            icon={RotateCcw}
          />
        )}
      </Row>
      <Row label="rate">
        <DragNumber
          label="Samples a second"
          read={() => rate}
          min={1}
          max={1000}
          step={1}
          decimals={2}
          width="62px"
          command={changeMaking}
          to={(value) => by({ rate: value })}
        />
        <Text color="quiet">a second</Text>
        {made.rate !== undefined && (
          <CommandButton
            command={changeMaking}
            arg={by({ rate: undefined })}
            label="The rate of the source"
            icon={RotateCcw}
          />
        )}
      </Row>
      <Row label="up axis">
        {UP_AXES.map((axis) => (
          <CommandChoice
            key={axis}
            on={(made.up ?? 'y') === axis}
            title={AXIS_TITLES[axis]}
            command={changeMaking}
            arg={by({ up: axis === 'y' ? undefined : axis })}
          >
            {axis.toUpperCase()}
          </CommandChoice>
        ))}
      </Row>
      <Row label="scale">
        <DragNumber
          label="Scale of all lengths"
          read={() => made.scale ?? 1}
          min={0.0001}
          max={10000}
          step={0.01}
          decimals={4}
          width="70px"
          command={changeMaking}
          to={(value) => by({ scale: value === 1 ? undefined : value })}
        />
        <Text color="quiet">times</Text>
      </Row>
      <Row label="travel">
        <CommandChoice
          on={made.feet ?? false}
          title="Where the feet stand, the root moves so that they do not slide"
          command={changeMaking}
          arg={by({ feet: made.feet ? undefined : true })}
        >
          match to the feet
        </CommandChoice>
      </Row>
      {made.mapping && rootBoneRefusal(project.rig) === undefined && (
        <Row label="carried">
          <CommandChoice
            on={made.travels === undefined}
            title="The root bone goes along the floor below the hips"
            command={changeMaking}
            arg={by({ travels: undefined })}
          >
            by the root bone
          </CommandChoice>
          <CommandChoice
            on={made.travels === 'hips'}
            title="The root bone stays as it rests, and the hips go the whole way"
            command={changeMaking}
            arg={by({ travels: 'hips' })}
          >
            by the hips
          </CommandChoice>
        </Row>
      )}
      {made.mapping && handsOf(project.rig).length > 0 && (
        <Row label="hands">
          <CommandChoice
            on={made.hands ?? false}
            title="Hands that come near one another, the head, the hips or a thigh are as far away as in the capture, scaled; only arms move for it"
            command={changeMaking}
            arg={by({ hands: made.hands ? undefined : true })}
          >
            keep their distances
          </CommandChoice>
          {made.hands && !making && (
            <Text color="quiet" flex="none">
              {movedText(take, project.metresPerUnit)}
            </Text>
          )}
        </Row>
      )}
      {made.smooth && made.smooth.length > 0 && (
        <Row label="noise">
          <Text flex="1">
            taken out of {made.smooth.length === 1 ? 'a stretch' : `${made.smooth.length} stretches`}
          </Text>
          <CommandButton
            command={changeMaking}
            arg={by({ smooth: undefined })}
            label="Leave the noise in"
            icon={RotateCcw}
          />
        </Row>
      )}
      {made.close && (
        <Row label="loop">
          <Text flex="1">closed over its last {made.close.over} samples</Text>
          <CommandButton
            command={changeMaking}
            arg={by({ close: undefined })}
            label="Leave the loop as it was"
            icon={RotateCcw}
          />
        </Row>
      )}
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

/** By how much hands were moved to keep their distances. */
function movedText({ handsMoved = [] }: Take, metresPerUnit: number): string {
  if (handsMoved.length === 0) return 'none moved';
  const most = Math.max(...handsMoved.map((moved) => moved.most)) * metresPerUnit * 100;
  return `up to ${most.toFixed(1)} cm`;
}

/** By which limits feet, and hands if wanted, were found to stand. */
function Contacts({ take }: { take: Take }) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const { limits, joints } = take.contacts ?? { limits: CONTACT_LIMITS, joints: feetOf(take.rig) };
  const hands = handsOf(take.rig);
  const withHands = hands.some((hand) => joints.includes(hand));
  const found = (values: Partial<typeof limits>, watched = joints) => ({
    take: take.id,
    contacts: findContacts(take, takeUnit(project, take), { ...limits, ...values }, watched),
  });
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
          command={changeContacts}
          to={(value) => found({ height: value / 100 })}
        />
        <Text color="quiet">cm, slower than</Text>
        <DragNumber
          label="A foot stands slower than, metres a second"
          read={() => limits.speed}
          min={0}
          max={10}
          step={0.01}
          decimals={2}
          command={changeContacts}
          to={(value) => found({ speed: value })}
        />
        <Text color="quiet">m/s</Text>
        <ToolButton
          label="Find contacts anew"
          icon={Footprints}
          onClick={() => perform(editor, changeContacts, found({}))}
        />
      </Row>
      {hands.length > 0 && (
        <Row label="watch">
          <Choice
            on={!withHands}
            onClick={() => perform(editor, changeContacts, found({}, feetOf(take.rig)))}
          >
            feet
          </Choice>
          <Choice
            on={withHands}
            onClick={() => perform(editor, changeContacts, found({}, [...feetOf(take.rig), ...hands]))}
          >
            feet and hands
          </Choice>
        </Row>
      )}
    </>
  );
}
