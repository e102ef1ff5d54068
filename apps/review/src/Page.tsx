import { frameNumber, type Note, type Stroke } from '@evlay/core';
import { NOTES_ENDING, type ReviewFile, writeNotes } from '@evlay/core/format';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { Drives } from './Drives.js';
import { type Kept, keep, readKept } from './kept.js';
import { Notes } from './Notes.js';
import { type Divided, type Look, Picture, type Pictured } from './Picture.js';
import type { Stage } from './stage.js';
import { Transport } from './Transport.js';
import { Turns } from './Turns.js';
import { useVoice } from './use-voice.js';

const INK = '#FFC857';

/** The page of a review: plays, compares, takes notes, and sends them back. */
export function Page({ review, stage }: { review: ReviewFile; stage: Stage }) {
  const { main, second } = stage;
  const { project } = main.player;
  const [first, last] = project.range;
  const look = useMemo<Look>(
    () => ({ frame: first, divided: 'one', line: 0.5, onion: 0, camera: undefined, strokes: [] }),
    [first],
  );
  const pictured = useRef<Pictured | null>(null);
  const [frame, setFrame] = useState(first);
  const [playing, setPlaying] = useState(false);
  const [speed, setSpeed] = useState(1);
  const [divided, setDivided] = useState<Divided>('one');
  const [variants, setVariants] = useState<readonly [string, string]>([
    review.variants[0] ?? '',
    review.variants[1] ?? '',
  ]);
  const [onion, setOnion] = useState(0);
  const [camera, setCamera] = useState('');
  const [drawing, setDrawing] = useState(false);
  const [strokes, setStrokes] = useState<readonly Stroke[]>([]);
  const [text, setText] = useState('');
  const [kept, setKept] = useState<Kept>(() => readKept(review.id));
  const [lost, setLost] = useState(false);
  const voice = useVoice();

  const change = useCallback(
    (values: Partial<Kept>) =>
      setKept((before) => {
        const now = { ...before, ...values };
        setLost(!keep(review.id, now));
        return now;
      }),
    [review.id],
  );
  const draw = () => pictured.current?.draw();
  const goTo = useCallback(
    (to: number) => {
      look.frame = Math.min(last, Math.max(first, to));
      setFrame(look.frame);
      pictured.current?.draw();
    },
    [look, first, last],
  );

  useEffect(() => {
    main.player.setVariant(variants[0] || undefined);
    second.player.setVariant(variants[1] || undefined);
    for (const { player } of stage.ghosts) player.setVariant(variants[0] || undefined);
    // What is turned is seen beside the other variant as it is.
    for (const { player } of [main, ...stage.ghosts])
      for (const { id } of player.layers) {
        const weight = kept.weights[id];
        player.turn(id, weight === undefined ? undefined : { weight });
      }
    pictured.current?.draw();
  }, [main, second, stage, variants, kept.weights]);

  useEffect(() => {
    if (!playing) return;
    let before = performance.now();
    let asked = requestAnimationFrame(function step(now: number) {
      const way = ((now - before) / 1000) * project.fps * speed;
      before = now;
      const length = last - first;
      look.frame = length > 0 ? first + ((look.frame - first + way) % length) : first;
      setFrame(look.frame);
      pictured.current?.draw();
      asked = requestAnimationFrame(step);
    });
    return () => cancelAnimationFrame(asked);
  }, [playing, speed, first, last, project.fps, look]);

  useEffect(() => {
    const typed = (event: KeyboardEvent) => {
      const { tagName } = event.target as HTMLElement;
      // A field has its own keys, a button the space bar.
      if (/^(INPUT|TEXTAREA|SELECT|AUDIO)$/.test(tagName) || (tagName === 'BUTTON' && event.key === ' '))
        return;
      if (event.key === ' ') setPlaying((before) => !before);
      else if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') {
        setPlaying(false);
        goTo(Math.round(look.frame) + (event.key === 'ArrowRight' ? 1 : -1));
      } else return;
      event.preventDefault();
    };
    window.addEventListener('keydown', typed);
    return () => window.removeEventListener('keydown', typed);
  }, [goTo, look]);

  // Notes at this frame are seen while it stands still.
  const here = kept.notes.filter((note) => !playing && Math.abs(note.frame - frame) < 0.5);
  look.strokes = [...here.flatMap((note) => (note.over === undefined ? note.strokes : [])), ...strokes];
  look.divided = divided;
  look.onion = onion;
  look.camera = camera || undefined;
  useEffect(draw);

  const pen = useMemo(
    () =>
      drawing
        ? { color: INK, onStroke: (stroke: Stroke) => setStrokes((all) => [...all, stroke]) }
        : undefined,
    [drawing],
  );
  const addNote = async () => {
    const said = await voice.take();
    const note: Note = {
      id: crypto.randomUUID(),
      frame: Math.round(frame),
      by: kept.by,
      text: text.trim(),
      strokes,
      ...(camera === '' && pictured.current && { view: pictured.current.view() }),
      ...(variants[0] && { variant: variants[0] }),
      ...(said && { voice: said }),
    };
    change({ notes: [...kept.notes, note].sort((a, b) => a.frame - b.frame) });
    setText('');
    setStrokes([]);
    setDrawing(false);
  };
  const sendBack = () => {
    const by = kept.by.trim();
    const turned = Object.keys(kept.weights).length > 0;
    const file = writeNotes({
      project: review.name,
      by,
      notes: kept.notes.map((note) => ({ ...note, by: note.by || by })),
      ...(turned && { weights: kept.weights }),
      ...(turned && variants[0] && { variant: variants[0] }),
    });
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([file], { type: 'application/json' }));
    link.download = `${review.name}${by ? ` ${by}` : ''}${NOTES_ENDING}`.replace(/[/\\:*?"<>|]/g, ' ');
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  };
  const number = frameNumber(project, Math.round(frame));
  const nothing = text.trim() === '' && strokes.length === 0 && !voice.recording && !voice.said;
  const choice = (k: 0 | 1) => (
    <select
      aria-label={k === 0 ? 'Variant' : 'The other variant'}
      value={variants[k]}
      onChange={({ target }) =>
        setVariants(k === 0 ? [target.value, variants[1]] : [variants[0], target.value])
      }
    >
      <option value="">the stack</option>
      {review.variants.map((name) => (
        <option key={name}>{name}</option>
      ))}
    </select>
  );
  const cameras = project.scene.props.filter((prop) => prop.camera);
  return (
    <main>
      <header>
        <h1>{review.name}</h1>
        {choice(0)}
        <fieldset aria-label="How it is divided">
          {(['one', 'beside', 'line'] as const).map((one) => (
            <button key={one} type="button" aria-pressed={divided === one} onClick={() => setDivided(one)}>
              {{ one: 'one', beside: 'side by side', line: 'divided' }[one]}
            </button>
          ))}
        </fieldset>
        {divided !== 'one' && choice(1)}
        {divided === 'line' && (
          <input
            type="range"
            aria-label="Where it is divided"
            min={0}
            max={1}
            step={0.01}
            defaultValue={look.line}
            onChange={({ target }) => {
              look.line = Number(target.value);
              draw();
            }}
          />
        )}
        {cameras.length > 0 && (
          <select aria-label="Camera" value={camera} onChange={({ target }) => setCamera(target.value)}>
            <option value="">free camera</option>
            {cameras.map(({ name }) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        )}
      </header>
      <div className="middle">
        <Picture stage={stage} look={look} pictured={pictured} drawing={pen} />
        <aside>
          <Drives stage={stage} frame={frame} />
          {review.layers.length > 0 && (
            <Turns
              layers={main.player.layers.filter(({ id }) => review.layers.includes(id))}
              weights={kept.weights}
              onTurn={(weights) => change({ weights })}
            />
          )}
          <Notes
            notes={kept.notes}
            first={project.first ?? 0}
            onGo={(note) => {
              setPlaying(false);
              goTo(note.frame);
              if (note.view) pictured.current?.lookFrom(note.view);
            }}
            onRemove={(id) => change({ notes: kept.notes.filter((note) => note.id !== id) })}
          />
          <section aria-label="New note" className="new">
            <h2>Note at {number}</h2>
            <textarea
              aria-label="What you say about this frame"
              rows={2}
              maxLength={4000}
              value={text}
              onChange={({ target }) => setText(target.value)}
            />
            <div className="row">
              <button
                type="button"
                aria-pressed={drawing}
                onClick={() => {
                  setPlaying(false);
                  setDrawing(!drawing);
                }}
              >
                draw
              </button>
              {strokes.length > 0 && (
                <button type="button" onClick={() => setStrokes(strokes.slice(0, -1))}>
                  take back
                </button>
              )}
              <button type="button" aria-pressed={voice.recording} onClick={() => voice.toggle()}>
                {voice.recording ? 'stop recording' : voice.said ? 'speak anew' : 'speak'}
              </button>
              <span className="grow" />
              <button type="button" className="lamp" disabled={nothing} onClick={() => void addNote()}>
                Add the note
              </button>
            </div>
            {voice.said && <p className="quiet">What you said goes with the note.</p>}
            {voice.refused && <p role="alert">{voice.refused}</p>}
          </section>
          <section className="new">
            <div className="row">
              <input
                aria-label="Your name"
                placeholder="your name"
                maxLength={80}
                value={kept.by}
                onChange={({ target }) => change({ by: target.value })}
              />
              <button
                type="button"
                className="lamp"
                disabled={kept.notes.length === 0 && Object.keys(kept.weights).length === 0}
                onClick={sendBack}
              >
                Send back
              </button>
            </div>
            <p className="quiet">
              {lost
                ? 'This browser keeps nothing: send back before you close the page.'
                : 'Kept in this browser. “Send back” saves a small file for the animator.'}
            </p>
          </section>
        </aside>
      </div>
      <Transport
        range={project.range}
        frame={frame}
        number={number}
        notes={kept.notes}
        playing={playing}
        speed={speed}
        onion={onion}
        onPlay={setPlaying}
        onGo={(to) => {
          setPlaying(false);
          goTo(to);
        }}
        onSpeed={setSpeed}
        onOnion={setOnion}
      />
    </main>
  );
}
