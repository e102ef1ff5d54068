import { newId, type Take } from '@evlay/core';
import { wantedMaking } from '@evlay/core/edit';
import { useMemo } from 'react';
import { useProject, useSession } from '../editor/context.js';

/**
 * The id of what is made of a take when its steps change: its own, or for one that came from outside a new one, the
 * same all through a drag.
 */
export function useMadeId(take: Take): string {
  const fresh = useMemo(() => (take.made ? take.id : newId()), [take.id, take.made]);
  return take.made ? take.id : fresh;
}

/**
 * How the making of a take's samples stands: undefined where they are what its steps ask for; with the reason where
 * they could not be made.
 */
export function useMaking(take: Take): { readonly refused: string | undefined } | undefined {
  const wanted = useProject((project) => wantedMaking(project, take));
  const refused = useSession(({ unmade }) => (wanted === undefined ? undefined : unmade.get(wanted)));
  return wanted === undefined ? undefined : { refused };
}
