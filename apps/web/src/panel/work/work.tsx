import { useSession } from '../../editor/context.js';
import { ComparePanel } from './ComparePanel.js';
import { CrossingPanel } from './CrossingPanel.js';
import { FilmPanel } from './FilmPanel.js';
import { KitPanel } from './KitPanel.js';
import { MergePanel } from './MergePanel.js';
import { NotesPanel } from './NotesPanel.js';
import { ReviewPanel } from './ReviewPanel.js';
import { SeamPanel } from './SeamPanel.js';

/** The piece of work that stands in the right column now; undefined where its tabs do. */
export function useWork(): React.ReactNode | undefined {
  const crossing = useSession((state) => state.crossing !== undefined);
  const merging = useSession((state) => state.merging !== undefined);
  const kit = useSession((state) => state.kit !== undefined);
  const seams = useSession((state) => state.joined !== undefined);
  const notes = useSession((state) => state.notes !== undefined);
  const review = useSession((state) => state.review !== undefined);
  const film = useSession((state) => state.film !== undefined);
  const comparing = useSession((state) => state.compare.open);
  if (crossing) return <CrossingPanel />;
  if (merging) return <MergePanel />;
  if (kit) return <KitPanel />;
  if (seams) return <SeamPanel />;
  if (film) return <FilmPanel />;
  if (review) return <ReviewPanel />;
  if (notes) return <NotesPanel />;
  return comparing ? <ComparePanel /> : undefined;
}
