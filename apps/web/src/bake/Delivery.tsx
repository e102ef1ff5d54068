import { Button, Input, Text } from '@chakra-ui/react';
import { DELIVERY_PATTERN } from '@evlay/core/apply';
import { useEffect, useState } from 'react';
import { perform, refusalOf } from '../commands/command.js';
import { deliver } from '../commands/scene/delivery.js';
import { CameraSelect } from '../controls/film/CameraSelect.js';
import { useEditor, useProject, useSession } from '../editor/context.js';
import type { FilmKind, FilmSettings } from '../editor/session.js';
import type { BakeWanted } from '../jobs/bake-pieces.js';
import { encodingRefusal } from '../jobs/film-encoders.js';
import { bytesText } from '../ui/bytes-text.js';
import { Row } from '../ui/Row.js';
import { Select } from '../ui/Select.js';
import { Section } from './WhatColumn.js';

const FILMS = { mp4: 'MP4', webm: 'WebM', gif: 'GIF', sheet: 'sheet of poses' };
const SIZES = [
  [1280, 720],
  [1920, 1080],
  [640, 360],
] as const;

interface DeliveryProps {
  readonly wanted: BakeWanted;
  readonly range: readonly [number, number];
  /** Whether nothing can be baked now. */
  readonly disabled: boolean;
}

/** The bake as it is chosen with a film, notes, findings and a manifest: one zip, by one click. */
export function Delivery({ wanted, range, disabled }: DeliveryProps) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const through = useSession((state) => state.through);
  const [kind, setKind] = useState<FilmKind | ''>('mp4');
  const [size, setSize] = useState<readonly [number, number]>(SIZES[0]);
  const [camera, setCamera] = useState(through);
  const [pattern, setPattern] = useState(DELIVERY_PATTERN);
  const [done, setDone] = useState<{ readonly file: string; readonly bytes: number }>();
  const [refused, setRefused] = useState<string>();
  const [width, height] = size;
  useEffect(() => {
    let current = true;
    setRefused(undefined);
    if (kind !== '')
      void encodingRefusal({ kind, width, height }).then((reason) => current && setRefused(reason));
    return () => {
      current = false;
    };
  }, [kind, width, height]);
  const film: FilmSettings | undefined =
    kind === ''
      ? undefined
      : {
          kind,
          range,
          rate: project.fps,
          width,
          height,
          poses: 12,
          ...(camera !== undefined && { camera }),
          variants: wanted.what === 'variants' ? project.variants.map(({ name }) => name) : [],
          beside: false,
          numbers: true,
          layers: false,
          line: '',
          notes: project.notes.length > 0,
          reference: false,
        };
  const request = { bake: wanted, film, pattern, ended: setDone };
  const reason = refused ?? refusalOf(editor, deliver, request)?.reason;
  const cameras = project.scene.props.some((prop) => prop.camera);
  const { notes } = project;
  return (
    <Section title="Delivery">
      <Row label="film">
        <Select
          label="What the film of the delivery is"
          value={kind}
          onChoose={(one) => setKind(one as FilmKind | '')}
        >
          {Object.entries(FILMS).map(([one, name]) => (
            <option key={one} value={one}>
              {name}
            </option>
          ))}
          <option value="">none</option>
        </Select>
        {kind !== '' && (
          <Select
            label="Size of the film"
            value={`${width}x${height}`}
            onChoose={(text) => setSize(SIZES.find(([w, h]) => `${w}x${h}` === text) ?? SIZES[0])}
          >
            {SIZES.map(([w, h]) => (
              <option key={w} value={`${w}x${h}`}>
                {w} × {h}
              </option>
            ))}
          </Select>
        )}
      </Row>
      {kind !== '' && cameras && (
        <Row label="seen">
          <CameraSelect label="Which camera films the delivery" camera={camera} onChoose={setCamera} />
        </Row>
      )}
      <Row label="names">
        <Input
          size="xs"
          aria-label="What files of the delivery are called"
          title="{project}, {piece}, {what} and {range} are filled in"
          value={pattern}
          onChange={({ target }) => setPattern(target.value)}
        />
      </Row>
      <Text color="quiet" fontSize="12px" mt="1">
        One zip: the bake as chosen
        {kind !== '' && `, the film`}
        {notes.length > 0 && `, ${notes.length} ${notes.length === 1 ? 'note' : 'notes'}`}, findings, a
        manifest.
      </Text>
      {reason && (
        <Text color="alarm" fontSize="12px" role="status">
          {reason}
        </Text>
      )}
      <Button
        mt="2"
        size="xs"
        variant="outline"
        borderColor="line"
        color="text"
        disabled={disabled || reason !== undefined}
        onClick={() => {
          setDone(undefined);
          perform(editor, deliver, request);
        }}
      >
        {deliver.name}
      </Button>
      {done && (
        <Text mt="1" role="status">
          {bytesText(done.bytes)}, downloaded as {done.file}.
        </Text>
      )}
    </Section>
  );
}
