import { Box, chakra, Input, Text } from '@chakra-ui/react';
import { frameNumber } from '@evlay/core';
import { bakeBytes, planBake, rootBoneRefusal } from '@evlay/core/bake';
import { WRITTEN_KINDS, writtenKind } from '@evlay/core/format';
import { characterOf } from '@evlay/core/rig';
import type { ReactNode } from 'react';
import { perform } from '../commands/command.js';
import { setView } from '../commands/view/view.js';
import { LocalNumber } from '../controls/DragNumber.js';
import { KeyLimitFields } from '../controls/KeyLimitFields.js';
import { frameUnits } from '../controls/units.js';
import { castOf } from '../editor/cast.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import { bytesText } from '../ui/bytes-text.js';
import { Choice } from '../ui/Choice.js';
import { Row } from '../ui/Row.js';
import { Select } from '../ui/Select.js';
import { StackList } from './StackList.js';
import { type BakeSettings, piecesOf, samplesText, settingsRefusal, takesFewKeys } from './settings.js';

interface WhatProps {
  readonly settings: BakeSettings;
  readonly running: boolean;
  readonly onChange: (changes: Partial<BakeSettings>) => void;
}

/** What is baked: the stack or its variants, range, rate and format. */
/** Who carries the travel in what is baked. */
const TRAVELS = [
  { travels: undefined, name: 'as it is', title: 'Root and hips move as the motion has it' },
  {
    travels: 'root',
    name: 'root bone',
    title: 'The root bone lies on the floor below the hips, with their heading; the body stays where it is',
  },
  {
    travels: 'hips',
    name: 'hips',
    title: 'The root bone stays as it rests, and the hips go the whole way; the body stays where it is',
  },
] as const;

export function WhatColumn({ settings, running, onChange }: WhatProps) {
  const project = useProject((current) => current);
  const editor = useEditor();
  const variant = useSession((state) => state.variant);
  const alone = useSession((state) => state.alone?.layer);
  const { what, range, rate, format, props, few, straight, limits, together, pattern, onTheSpot, travels } =
    settings;
  const body = characterOf(project.rig, settings.character);
  const noRootBone = rootBoneRefusal(body);
  const { variants, marks, scene } = project;
  const { figure } = scene.characters[settings.character];
  const casts = scene.characters.map((_, k) => castOf(project, k));
  const pieces = piecesOf(project, what);
  const plan = planBake(project, { range, fps: rate });
  // The motion goes onto the character's own file.
  const kind = writtenKind(format);
  const { writes } = kind;
  const fewKeys = takesFewKeys(format);
  const own = writes.onCharacter ? (figure?.bytes.length ?? 0) : 0;
  const refused = settingsRefusal(project, settings);
  return (
    <>
      <Section title="What is baked">
        <Text color="quiet" mb="1">
          {body.joints.length} joints of “{casts[settings.character].name}”, with names, order and hierarchy
          as they came in
        </Text>
        {casts.length > 1 && what !== 'characters' && (
          <Row label="of">
            <Select
              label="Which character is baked"
              value={String(settings.character)}
              onChoose={(character) => onChange({ character: Number(character) })}
            >
              {casts.map(({ name, index }) => (
                <option key={index} value={index}>
                  {name}
                </option>
              ))}
            </Select>
          </Row>
        )}
        {(variants.length > 0 || marks.length > 0 || casts.length > 1) && (
          <Box display="flex" flexWrap="wrap" gap="1" mb="1">
            <Choice on={what === 'stack'} disabled={running} onClick={() => onChange({ what: 'stack' })}>
              the stack
            </Choice>
            {variants.length > 0 && (
              <Choice
                on={what === 'variants'}
                disabled={running}
                title="Each variant by itself, over its own range where it has one"
                onClick={() => onChange({ what: 'variants' })}
              >
                {variants.length === 1 ? 'its variant' : `its ${variants.length} variants`}
              </Choice>
            )}
            {marks.length > 0 && (
              <Choice
                on={what === 'marks'}
                disabled={running}
                title="Each stretch from a mark to the next by itself, called as the mark"
                onClick={() => onChange({ what: 'marks' })}
              >
                between marks
              </Choice>
            )}
            {casts.length > 1 && (
              <Choice
                on={what === 'characters'}
                disabled={running}
                title="Each character by itself, in its own space, in a zip, or all into one file"
                onClick={() => onChange({ what: 'characters' })}
              >
                each character
              </Choice>
            )}
          </Box>
        )}
        {what === 'stack' && variant !== undefined && (
          <Text color="lamp" mb="1">
            As the variant “{variant}”, which is shown on Layers
          </Text>
        )}
        {what === 'stack' ? (
          <>
            <StackList range={range} />
            <Row label="of them">
              <Select
                label="Which layers are baked"
                value={alone ?? ''}
                onChoose={(layer) =>
                  perform(editor, setView, { alone: layer ? { layer, over: 'rest' } : undefined })
                }
              >
                <option value="">all</option>
                {project.layers.map(({ id, name }) => (
                  <option key={id} value={id}>
                    {name} alone, over the rest pose
                  </option>
                ))}
              </Select>
            </Row>
          </>
        ) : (
          <>
            <Box as="ul" listStyleType="none" aria-label="Pieces that are baked">
              {pieces.map((piece) => (
                <Box as="li" key={piece.name} display="flex" gap="2" py="0.5">
                  <Text flex="1" truncate>
                    {piece.name}
                  </Text>
                  <Text color="quiet" fontFamily="mono" fontSize="12px">
                    {piece.range.map((frame) => Math.round(frameNumber(project, frame))).join(' to ')}
                  </Text>
                </Box>
              ))}
            </Box>
            {writes.several && (
              <Row label="as">
                <Choice on={!together} disabled={running} onClick={() => onChange({ together: false })}>
                  files in a zip
                </Choice>
                <Choice
                  on={together}
                  disabled={running}
                  title={
                    what === 'characters'
                      ? `One ${kind.name} in which each character stands where it does in the scene`
                      : `One ${kind.name} in which each piece is an animation with its name`
                  }
                  onClick={() => onChange({ together: true })}
                >
                  one file
                </Choice>
              </Row>
            )}
            {!(together && writes.several) && (
              <Row label="names">
                <Input
                  size="xs"
                  aria-label="What files are called; {project} and {piece} are filled in"
                  title="{project} and {piece} are filled in"
                  value={pattern}
                  disabled={running}
                  onChange={({ target }) => onChange({ pattern: target.value })}
                />
              </Row>
            )}
          </>
        )}
      </Section>
      <Section title="Range and rate">
        {what === 'stack' && (
          <Row label="frames">
            <LocalNumber
              label="First frame to bake"
              read={() => range[0]}
              step={1}
              decimals={0}
              units={frameUnits(project.fps)}
              origin={project.first}
              width="56px"
              disabled={running}
              onChange={(v) => onChange({ range: [Math.round(v), range[1]] })}
            />
            <Text color="quiet">to</Text>
            <LocalNumber
              label="Last frame to bake"
              read={() => range[1]}
              step={1}
              decimals={0}
              units={frameUnits(project.fps)}
              origin={project.first}
              width="56px"
              disabled={running}
              onChange={(v) => onChange({ range: [range[0], Math.round(v)] })}
            />
          </Row>
        )}
        <Row label="rate">
          <LocalNumber
            label="Samples a second"
            read={() => rate}
            min={1}
            max={1000}
            step={1}
            decimals={2}
            width="68px"
            disabled={running}
            onChange={(value) => onChange({ rate: value })}
          />
          <Text color="quiet">samples a second</Text>
        </Row>
        {refused ? (
          <Text color="alarm" mt="1" role="alert">
            This cannot be baked: {refused}.
          </Text>
        ) : (
          what === 'stack' && (
            <Text color="quiet" mt="1">
              {samplesText(plan.count)}, {((plan.count - 1) / rate).toFixed(2)} seconds, about{' '}
              {bytesText(bakeBytes(project.rig, plan, kind) + own)}.
            </Text>
          )
        )}
      </Section>
      <Section title="Format">
        <Row label="file">
          {WRITTEN_KINDS.map(({ id, name }) => (
            <Choice key={id} on={format === id} disabled={running} onClick={() => onChange({ format: id })}>
              {name}
            </Choice>
          ))}
        </Row>
        {fewKeys && (
          <Row label="keys">
            <Choice on={!few} disabled={running} onClick={() => onChange({ few: false })}>
              every sample
            </Choice>
            <Choice
              on={few}
              disabled={running}
              title="How far they may be off is chosen here, or on the chart"
              onClick={() => onChange({ few: true })}
            >
              few keys
            </Choice>
          </Row>
        )}
        {fewKeys && few && (
          <Row label="joined">
            <Choice on={!straight} disabled={running} onClick={() => onChange({ straight: false })}>
              by curves
            </Choice>
            <Choice
              on={straight}
              disabled={running}
              title="For programs that read no cubic splines; it takes more keys"
              onClick={() => onChange({ straight: true })}
            >
              straight
            </Choice>
          </Row>
        )}
        {fewKeys && few && (
          <Row label="within">
            <KeyLimitFields
              limits={limits}
              disabled={running}
              onChange={(changed) => onChange({ limits: changed })}
            />
          </Row>
        )}
        <Row label="root">
          <Choice on={!onTheSpot} disabled={running} onClick={() => onChange({ onTheSpot: false })}>
            travels
          </Choice>
          <Choice
            on={onTheSpot}
            disabled={running}
            title="The root stays above the place at which it began, and keeps its height"
            onClick={() => onChange({ onTheSpot: true })}
          >
            on the spot
          </Choice>
        </Row>
        <Row label="travel">
          {TRAVELS.map(({ travels: who, name, title }) => (
            <Choice
              key={name}
              on={(noRootBone === undefined ? travels : undefined) === who}
              disabled={running || (who !== undefined && noRootBone !== undefined)}
              title={(who && noRootBone) ?? title}
              onClick={() => onChange({ travels: who })}
            >
              {name}
            </Choice>
          ))}
        </Row>
        {writes.props === true && scene.props.length > 0 && (
          <Row label="props">
            <Choice on={props} disabled={running} onClick={() => onChange({ props: !props })}>
              with {scene.props.length === 1 ? 'the prop' : `the ${scene.props.length} props`} as nodes beside
              the character
            </Choice>
          </Row>
        )}
        <Text color="quiet" mt="1">
          {writes.onCharacter && figure
            ? 'The character’s own file with the motion as one more animation; everything else in it stays as it is.'
            : writes.about}
        </Text>
      </Section>
    </>
  );
}

/** A titled part of a column. */
export function Section({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box as="section" aria-label={title} px="4" py="3" borderBottomWidth="1px" borderColor="line">
      <chakra.h2 fontWeight="600" mb="1.5">
        {title}
      </chakra.h2>
      {children}
    </Box>
  );
}
