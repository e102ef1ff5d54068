import { Box, Text } from '@chakra-ui/react';
import { entryOf } from '@evlay/core';
import { charactersOf, findLimbs, jointIndex, limbsOf, ownName, partLabel } from '@evlay/core/rig';
import { Ban, Plus, RefreshCw, RotateCcw, Spline } from 'lucide-react';
import { perform } from '../../commands/command.js';
import { changeLimb, makeLimb } from '../../commands/poses/limbs.js';
import { pickJoints } from '../../commands/poses/picking.js';
import { CommandButton, CommandChoice } from '../../controls/CommandButton.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { Choice } from '../../ui/Choice.js';
import { Row } from '../../ui/Row.js';

const words = (name: string) => partLabel(name.slice(name.lastIndexOf('/') + 1));

/** Which way a bend goes, in words. */
function wayOf([x, y, z]: readonly number[]): string {
  const size = Math.max(Math.abs(x), Math.abs(y), Math.abs(z));
  if (Math.abs(z) === size) return z > 0 ? 'forward' : 'back';
  if (Math.abs(x) === size) return x > 0 ? 'to +x' : 'to −x';
  return y > 0 ? 'up' : 'down';
}

/** All limbs of the character that is lit, to be picked; those that were taken for none can come back. */
export function LimbList() {
  const editor = useEditor();
  const rig = useProject((project) => project.rig);
  const corrections = useProject((project) => project.limbs);
  const character = useSession((state) => state.character);
  const own = (name: string) => {
    const of = charactersOf(rig).findIndex((one) => one.name !== '' && name.startsWith(`${one.name}/`));
    return Math.max(0, of) === character;
  };
  const limbs = limbsOf(rig, corrections).filter(({ name }) => own(name));
  const dropped = Object.keys(corrections).filter((one) => corrections[one] === null && own(one));
  if (limbs.length + dropped.length === 0) return null;
  return (
    <Row label="limbs">
      <Box display="flex" flexWrap="wrap" gap="1">
        {limbs.map(({ name, chain }) => (
          <CommandChoice
            key={name}
            command={pickJoints}
            arg={chain.map((joint) => jointIndex(rig, joint))}
            on={false}
            title={chain.join(' › ')}
          >
            {words(name)}
          </CommandChoice>
        ))}
        {dropped.map((name) => (
          <Choice
            key={name}
            on={false}
            dimmed
            title="Taken for no limb: click to take it as it was found"
            onClick={() => perform(editor, changeLimb, { name, limb: undefined })}
          >
            {words(name)}
          </Choice>
        ))}
      </Box>
    </Row>
  );
}

/** The limb that the picked joint is in: which joints it has and which way it bends, as found or as corrected. */
export function LimbRow() {
  const rig = useProject((project) => project.rig);
  const corrections = useProject((project) => project.limbs);
  const picked = useSession((state) => state.picked);
  const name = rig.joints[picked.at(-1)!]?.name;
  const limbs = limbsOf(rig, corrections).filter(({ chain }) => chain.includes(name));
  const limb = limbs.find((one) => ownName(one.name) !== 'trunk') ?? limbs[0];
  const dropped = Object.keys(corrections).filter((one) => corrections[one] === null);
  const lost = dropped.find((one) =>
    findLimbs(rig).some((found) => found.name === one && found.chain.includes(name)),
  );
  if (!limb)
    return (
      <Row label="limb">
        <Text color="quiet" flex="1">
          {lost === undefined ? 'in no limb' : `${words(lost)}: taken for none`}
        </Text>
        <CommandButton command={makeLimb} arg={lost ?? `limb ${name}`} icon={Plus} />
        {lost !== undefined && (
          <CommandButton
            command={changeLimb}
            arg={{ name: lost, limb: undefined }}
            label={`Take the ${words(lost)} as it was found`}
            icon={RotateCcw}
          />
        )}
      </Row>
    );
  const corrected = entryOf(corrections, limb.name) !== undefined;
  const turned = limb.bend.map((value) => -value) as unknown as typeof limb.bend;
  return (
    <Row label="limb">
      <Text flex="1" truncate title={limb.chain.join(' › ')}>
        {words(limb.name)}, {limb.hangs ? 'hangs' : `bends ${wayOf(limb.bend)}`}
        <Box as="span" color="quiet">
          {corrected ? ' (corrected)' : ` · ${limb.chain.length} joints`}
        </Box>
      </Text>
      {limb.hangs ? (
        <CommandButton
          command={changeLimb}
          arg={{ name: limb.name, limb: { chain: limb.chain, bend: limb.bend } }}
          label={`Let the ${words(limb.name)} bend as a limb`}
          icon={Spline}
        />
      ) : (
        <>
          <CommandButton
            command={changeLimb}
            arg={{ name: limb.name, limb: { chain: limb.chain, bend: turned } }}
            label={`Let the ${words(limb.name)} bend the other way`}
            icon={RefreshCw}
          />
          <CommandButton
            command={changeLimb}
            arg={{ name: limb.name, limb: { chain: limb.chain, bend: limb.bend, hangs: true } }}
            label={`Let the ${words(limb.name)} hang as a rope does`}
            icon={Spline}
          />
        </>
      )}
      <CommandButton
        command={makeLimb}
        arg={limb.name}
        label={`Let the ${words(limb.name)} be the picked joints`}
        icon={Plus}
      />
      <CommandButton
        command={changeLimb}
        arg={{ name: limb.name, limb: null }}
        label={`Take the ${words(limb.name)} for no limb`}
        icon={Ban}
      />
      {corrected && (
        <CommandButton
          command={changeLimb}
          arg={{ name: limb.name, limb: undefined }}
          label={`Take the ${words(limb.name)} as it was found`}
          icon={RotateCcw}
        />
      )}
    </Row>
  );
}
