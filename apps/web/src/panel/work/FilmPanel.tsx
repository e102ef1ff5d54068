import { Box, Button, chakra, Input, Text } from '@chakra-ui/react';
import { useEffect, useRef, useState } from 'react';
import { perform, refusalOf } from '../../commands/command.js';

import { changeFilm, closeFilm, startFilm, stopFilm } from '../../commands/view/film.js';
import { LocalNumber } from '../../controls/DragNumber.js';
import { CameraSelect } from '../../controls/film/CameraSelect.js';
import { FILM_RATIOS } from '../../controls/film/film-ratios.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import type { Filming, FilmKind, FilmSettings } from '../../editor/session.js';
import { stretches } from '../../jobs/bake-pieces.js';
import { encodingRefusal } from '../../jobs/film-encoders.js';
import { picturesOf } from '../../jobs/film-layout.js';
import { Choice } from '../../ui/Choice.js';
import { ProgressBar } from '../../ui/ProgressBar.js';
import { Row } from '../../ui/Row.js';
import { Select } from '../../ui/Select.js';
import { FrameRange } from './FrameRange.js';
import { WorkPanel } from './WorkPanel.js';

const KINDS: readonly (readonly [FilmKind, string, string])[] = [
  ['mp4', 'MP4', 'H.264, which every player shows'],
  ['webm', 'WebM', 'VP9 or AV1: smaller, for browsers'],
  ['gif', 'GIF', 'Short loops: 256 colours, no more than 50 pictures a second'],
  ['pictures', 'pictures', 'A PNG for each frame, numbered, in a zip'],
  ['picture', 'one picture', 'A PNG of the first frame'],
  ['sheet', 'a sheet', 'Small pictures of poses in one PNG'],
];
const SIZES: readonly (readonly [width: number, height: number])[] = [
  [1280, 720],
  [1920, 1080],
  [1080, 1080],
  [640, 360],
];

/** How a film is made: of what, how large, what is written on it; and how far it has come. */
export function FilmPanel() {
  const editor = useEditor();
  const film = useSession((state) => state.film);
  const filming = useSession((state) => state.filming);
  const project = useProject((current) => current);
  const references = useSession((state) => state.references.filter(({ place }) => place !== 'plate').length);
  const [refused, setRefused] = useState<string>();
  const { kind = 'mp4', width = 0, height = 0 } = film ?? {};
  useEffect(() => {
    let current = true;
    setRefused(undefined);
    void encodingRefusal({ kind, width, height }).then((reason) => current && setRefused(reason));
    return () => {
      current = false;
    };
  }, [kind, width, height]);
  if (!film) return null;
  const set = (values: Partial<FilmSettings>) => perform(editor, changeFilm, values);
  const close = () => perform(editor, closeFilm, undefined);
  const reason = refused ?? refusalOf(editor, startFilm, film)?.reason;
  const marks = stretches(project);
  const pictures = picturesOf(film, project.fps).length;
  const size = (label: string, value: number, to: (value: number) => Partial<FilmSettings>) => (
    <LocalNumber
      label={label}
      read={() => value}
      min={16}
      step={2}
      decimals={0}
      width="52px"
      onChange={(next) => set(to(Math.max(16, Math.round(next))))}
    />
  );
  return (
    <WorkPanel
      label="Film"
      help="Show"
      leave={closeFilm.name}
      onLeave={close}
      foot={
        filming ? (
          <UnderWay filming={filming} />
        ) : (
          <>
            {reason && (
              <Text flex="1" color="alarm" fontSize="12px" role="status">
                {reason}
              </Text>
            )}
            <Button
              size="xs"
              bg="lamp"
              color="onLamp"
              disabled={reason !== undefined}
              onClick={() => perform(editor, startFilm, film)}
            >
              {startFilm.name}
            </Button>
          </>
        )
      }
    >
      <Row label="as">
        <Box display="flex" flexWrap="wrap" gap="1">
          {KINDS.map(([one, name, title]) => (
            <Choice key={one} on={film.kind === one} title={title} onClick={() => set({ kind: one })}>
              {name}
            </Choice>
          ))}
        </Box>
      </Row>
      <Row label="frames">
        <FrameRange of="film" range={film.range} onChange={(range) => set({ range })} />
        {marks.length > 0 && (
          <Select
            label="A stretch from mark to mark"
            value=""
            onChoose={(name) => set({ range: marks.find((one) => one.name === name)!.range })}
          >
            <option value="" disabled>
              from a mark …
            </option>
            {marks.map(({ name }) => (
              <option key={name} value={name}>
                {name}
              </option>
            ))}
          </Select>
        )}
      </Row>
      {film.kind === 'sheet' ? (
        <Row label="poses">
          <LocalNumber
            label="Poses on the sheet"
            read={() => film.poses}
            min={2}
            max={200}
            step={1}
            decimals={0}
            width="52px"
            onChange={(poses) => set({ poses: Math.min(200, Math.max(2, Math.round(poses))) })}
          />
          <Text color="quiet">of each variant, evenly over the frames</Text>
        </Row>
      ) : (
        <Row label="rate">
          <LocalNumber
            label="Pictures a second"
            read={() => film.rate}
            min={1}
            step={1}
            decimals={2}
            width="56px"
            onChange={(rate) => set({ rate: Math.max(1, rate) })}
          />
          <Text color="quiet">
            a second, {pictures.toLocaleString('en-GB')} {pictures === 1 ? 'picture' : 'pictures'}
          </Text>
        </Row>
      )}
      <Row label="size">
        {size('Width of the picture in pixels', film.width, (value) => ({ width: value }))}
        <Text color="quiet">×</Text>
        {size('Height of the picture in pixels', film.height, (value) => ({ height: value }))}
        <Select
          label="A usual size"
          value=""
          onChoose={(text) => {
            const [w, h] = text.split('x').map(Number);
            set({ width: w, height: h });
          }}
        >
          <option value="" disabled>
            usual …
          </option>
          {SIZES.map(([w, h]) => (
            <option key={`${w}x${h}`} value={`${w}x${h}`}>
              {w} × {h}
            </option>
          ))}
        </Select>
      </Row>
      <Row label="seen">
        <CameraSelect
          label="Which camera films"
          camera={film.camera}
          onChoose={(camera) => set({ camera })}
        />
        <Select
          label="Ratio of what is seen"
          value={film.ratio === undefined ? '' : String(film.ratio)}
          onChoose={(text) => set({ ratio: text === '' ? undefined : Number(text) })}
        >
          <option value="">all of it</option>
          {FILM_RATIOS.map(([name, ratio]) => (
            <option key={name} value={ratio}>
              {name}
            </option>
          ))}
        </Select>
      </Row>
      {project.variants.length > 0 && (
        <Row label="variants">
          <Box display="flex" flexWrap="wrap" gap="1">
            {project.variants.map(({ name }) => (
              <Choice
                key={name}
                on={film.variants.includes(name)}
                onClick={() =>
                  set({
                    variants: film.variants.includes(name)
                      ? film.variants.filter((one) => one !== name)
                      : [...film.variants, name],
                  })
                }
              >
                {name}
              </Choice>
            ))}
          </Box>
        </Row>
      )}
      {film.variants.length > 1 && (
        <Row label="">
          <Choice on={film.beside} onClick={() => set({ beside: true })}>
            side by side
          </Choice>
          <Choice on={!film.beside} onClick={() => set({ beside: false })}>
            one after the other
          </Choice>
        </Row>
      )}
      <Row label="written">
        <Choice on={film.numbers} onClick={() => set({ numbers: !film.numbers })}>
          frame
        </Choice>
        <Choice
          on={film.layers}
          title="Names and weights of the layers that play"
          onClick={() => set({ layers: !film.layers })}
        >
          layers
        </Choice>
        {project.notes.length > 0 && (
          <Choice
            on={film.notes}
            title="Notes at their frames, with what was drawn"
            onClick={() => set({ notes: !film.notes })}
          >
            notes
          </Choice>
        )}
        {references > 0 && (
          <Choice
            on={film.reference}
            title="References beside it"
            onClick={() => set({ reference: !film.reference })}
          >
            reference
          </Choice>
        )}
      </Row>
      <Row label="a line">
        <Input
          size="xs"
          aria-label="A line that is written on the film"
          placeholder="of your own"
          maxLength={120}
          value={film.line}
          onChange={({ target }) => set({ line: target.value })}
          onKeyDown={(event) => event.stopPropagation()}
        />
      </Row>
    </WorkPanel>
  );
}

/** How far the film has come, how long it still takes, and what gives it up. */
function UnderWay({ filming: { job, since } }: { filming: Filming }) {
  const editor = useEditor();
  const left = useRef<HTMLSpanElement>(null);
  useEffect(() => {
    const tell = () => {
      const done = job.progress.get();
      if (!left.current) return;
      const seconds = done > 0 ? ((performance.now() - since) * (1 - done)) / done / 1000 : undefined;
      left.current.textContent = seconds === undefined ? 'sets the stage …' : leftText(seconds);
    };
    tell();
    return job.progress.subscribe(tell);
  }, [job, since]);
  return (
    <Box flex="1" display="flex" alignItems="center" gap="2">
      <ProgressBar label="Filming" done={job.progress} />
      <chakra.span ref={left} color="quiet" fontSize="12px" whiteSpace="nowrap" />
      <Button
        size="xs"
        variant="outline"
        borderColor="line"
        color="text"
        onClick={() => perform(editor, stopFilm, undefined)}
      >
        Cancel
      </Button>
    </Box>
  );
}

const leftText = (seconds: number): string =>
  seconds > 90 ? `${Math.round(seconds / 60)} min left` : `${Math.ceil(seconds)} s left`;
