import { newId, type Take } from '@evlay/core';
import { useMemo } from 'react';

/**
 * The id of what is made of a take when its steps change: its own, or for one that came from outside a new one, the
 * same all through a drag.
 */
export function useMadeId(take: Take): string {
  const fresh = useMemo(() => (take.made ? take.id : newId()), [take.id, take.made]);
  return take.made ? take.id : fresh;
}
