import { type Layer, maxWeight } from '@evlay/core';

interface TurnsProps {
  /** The layers that can be turned. */
  readonly layers: readonly Layer[];
  /** What they were turned to, by their ids. */
  readonly weights: Readonly<Record<string, number>>;
  readonly onTurn: (weights: Readonly<Record<string, number>>) => void;
}

/** Layers that are turned up and down; the same core evaluates what comes of it. */
export function Turns({ layers, weights, onTurn }: TurnsProps) {
  return (
    <section aria-label="Layers to turn">
      <h2>Turn up and down</h2>
      {layers.map(({ id, name, mode, weight }) => {
        const own = weights[id];
        return (
          <label key={id} className="turn">
            <span>{name}</span>
            <input
              type="range"
              min={0}
              max={maxWeight(mode)}
              step={0.01}
              value={own ?? (typeof weight === 'number' ? weight : 1)}
              onChange={({ target }) => onTurn({ ...weights, [id]: Number(target.value) })}
            />
            <output>{own === undefined ? 'as it is' : own.toFixed(2)}</output>
            <button
              type="button"
              aria-label={`${name} as it is`}
              disabled={own === undefined}
              onClick={() => {
                const { [id]: _, ...others } = weights;
                onTurn(others);
              }}
            >
              ↺
            </button>
          </label>
        );
      })}
    </section>
  );
}
