import { useSession } from '../../editor/context.js';
import { usePreference } from '../../ui/preferences.js';

/** Whether less is drawn: because somebody wants it so, or because frames have become slow. */
export function useLightDisplay(): boolean {
  const wanted = usePreference((state) => state.lightDisplay);
  const slow = useSession((state) => state.slow);
  return wanted || slow;
}
