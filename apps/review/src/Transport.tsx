import type { Note } from '@evlay/core';

const SPEEDS = [0.25, 0.5, 1, 2];
/** Frames around that can be seen through, at most. */
const MOST = 60;

interface TransportProps {
  readonly range: readonly [number, number];
  readonly frame: number;
  /** The frame as people count it. */
  readonly number: number;
  readonly notes: readonly Note[];
  readonly playing: boolean;
  readonly speed: number;
  readonly onion: number;
  readonly onPlay: (playing: boolean) => void;
  /** Goes to a frame and stands there. */
  readonly onGo: (frame: number) => void;
  readonly onSpeed: (speed: number) => void;
  readonly onOnion: (frames: number) => void;
}

/** Plays, steps, and shows where notes are. */
export function Transport(props: TransportProps) {
  const { range, number, notes, playing, speed, onion, onPlay, onGo, onSpeed, onOnion } = props;
  const [first, last] = range;
  const frame = Math.round(props.frame);
  return (
    <footer>
      <button type="button" className="lamp" onClick={() => onPlay(!playing)}>
        {playing ? 'Pause' : 'Play'}
      </button>
      <button type="button" aria-label="One frame back" onClick={() => onGo(frame - 1)}>
        ‹
      </button>
      <button type="button" aria-label="One frame on" onClick={() => onGo(frame + 1)}>
        ›
      </button>
      <output aria-label="Frame">{String(number).padStart(4, '0')}</output>
      <div className="axis">
        <input
          type="range"
          aria-label="Frame that is seen"
          min={first}
          max={last}
          step={1}
          value={frame}
          onChange={({ target }) => onGo(Number(target.value))}
        />
        {notes.map(({ id, frame: at }) => (
          <i key={id} style={{ left: `${(100 * (at - first)) / Math.max(1, last - first)}%` }} />
        ))}
      </div>
      <select aria-label="Speed" value={speed} onChange={({ target }) => onSpeed(Number(target.value))}>
        {SPEEDS.map((one) => (
          <option key={one} value={one}>
            {one}×
          </option>
        ))}
      </select>
      <label className="onion">
        around
        <input
          type="number"
          aria-label="Frames around that are seen through, 0 for none"
          min={0}
          max={MOST}
          value={onion}
          onChange={({ target }) =>
            onOnion(Math.max(0, Math.min(MOST, Math.round(Number(target.value) || 0))))
          }
        />
      </label>
    </footer>
  );
}
