import type { LayerTime, Span } from '../../layer/layer.js';
import { layerById, type Project } from '../../layer/project.js';
import { PLAIN_TIME } from '../../layer/time.js';
import { setTime } from '../time/time.js';
import { setSpan } from '../weights/span.js';

/** Numbers that are changed on a layer and by as much on others, counted from how things were in `from`. */
export interface Together<V> {
  readonly lead: string;
  readonly others: readonly string[];
  readonly values: V | undefined;
  /** The project at the beginning of a drag; as it is now where not said. */
  readonly from?: Project;
}

/**
 * Sets the span of a layer. Its start, end and fades move by as much on the others that have them; what is no number, and
 * letting the span go, is the same for all.
 */
export function setSpans(
  project: Project,
  { lead, others, values, from = project }: Together<Span>,
): Project {
  const before = layerById(from, lead)?.span;
  const set = values && { ...layerById(project, lead)?.span, ...values };
  return others.reduce(
    (current, id) => {
      if (!values) return setSpan(current, id, undefined);
      const own = layerById(from, id)?.span;
      const moved = { ...layerById(current, id)?.span };
      for (const field of ['start', 'end', 'fadeIn', 'fadeOut'] as const) {
        const [value, was, other] = [values[field], before?.[field], own?.[field]];
        if (value === undefined) continue;
        if (was === undefined && field !== 'fadeIn' && field !== 'fadeOut') moved[field] ??= value;
        else moved[field] = (other ?? 0) + value - (was ?? 0);
      }
      if (values.shape) moved.shape = values.shape;
      return setSpan(current, id, moved);
    },
    setSpan(project, lead, set),
  );
}

/**
 * Sets when the content of a layer plays. On the others the offset moves by as much and the speed changes by the same
 * factor; a loop is the same for all.
 */
export function setTimes(
  project: Project,
  { lead, others, values, from = project }: Together<Partial<LayerTime>>,
): Project {
  const timeOf = (id: string) => layerById(from, id)?.time ?? PLAIN_TIME;
  const before = timeOf(lead);
  return others.reduce(
    (current, id) => {
      if (!values) return setTime(current, id, undefined);
      const own = timeOf(id);
      const { offset, speed, loop } = values;
      return setTime(current, id, {
        ...(offset !== undefined && { offset: own.offset + offset - before.offset }),
        ...(speed !== undefined && {
          speed: before.speed === 0 ? speed : (own.speed * speed) / before.speed,
        }),
        ...(loop && { loop }),
      });
    },
    setTime(project, lead, values),
  );
}
