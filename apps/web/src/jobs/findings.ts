import type { Project, Stands } from '@evlay/core';
import { byGrade, FINDING_LIMITS, type Finding, type FindingLimits, findingKey } from '@evlay/core/check';
import { addressOfRoom, writeScalar } from '@evlay/core/edit';
import { proxy } from 'comlink';
import type { Editor } from '../editor/editor.js';
import { setDisplay, setJobs } from '../editor/session.js';
import { askChecker } from './workers.js';

/** Milliseconds that are waited for after the last change until findings are looked for. */
const CALM = 250;

export const limitsOf = ({ limits = FINDING_LIMITS }: Pick<Project, 'limits'>): FindingLimits => limits;

/**
 * Looks for findings in a worker whenever the project has not changed for a moment and nothing is dragged or played, and
 * for what is asked beside them: causes of the finding that is looked into, headroom of a layer. Returns what ends that.
 */
export function watchFindings(editor: Editor): () => void {
  const { history, session } = editor;
  let timer: ReturnType<typeof setTimeout>;
  let ended = false;
  let found: { readonly of: Project; readonly all: readonly Finding[] } | undefined;
  let told: typeof found;
  let room: unknown;
  const busy = () => session.getState().playing || editor.gesture !== undefined;
  const look = async () => {
    const project = history.project();
    if (busy()) return begin();
    if (found?.of !== project) {
      // Long motions are gone through from the playhead on; what is found is shown as it comes.
      const onWindow = (some: readonly Finding[], part: number): void => {
        if (ended || history.project() !== project) return;
        setJobs(session, { findings: byGrade(some), unfound: undefined, looked: part });
      };
      const all = await askChecker(project, (worker, outline) =>
        worker.findings(outline, limitsOf(project), 'project', editor.playhead.get(), proxy(onWindow)),
      );
      if (ended || !all || history.project() !== project) return;
      found = { of: project, all: byGrade(all) };
      if (busy()) return begin();
    }
    const changed = told !== found;
    if (changed) {
      told = found;
      const { all } = found;
      const { finding } = session.getState();
      const still = finding && all.some((one) => findingKey(one) === finding.key);
      setJobs(session, { findings: all, unfound: undefined, looked: 1 });
      setDisplay(session, { finding: still ? { key: finding.key } : undefined });
    }
    const wanted = session.getState().headroom;
    if (!wanted || (!changed && room === wanted)) return;
    const asked = project.layers.some(({ id }) => id === wanted.layer);
    if (!asked) return setDisplay(session, { headroom: undefined });
    const ceiling = await askChecker(project, (worker, outline) =>
      worker.headroom(outline, wanted.layer, wanted.part, limitsOf(project)),
    );
    const now = session.getState().headroom;
    if (ended || !ceiling || now?.layer !== wanted.layer || now.part !== wanted.part) return;
    room = { ...wanted, room: ceiling };
    setDisplay(session, { headroom: room as typeof wanted });
  };
  const begin = () => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      look().catch((error: Error) => {
        if (!ended) setJobs(session, { unfound: error.message });
      });
    }, CALM);
  };
  begin();
  const stops = [
    history.store.subscribe(begin),
    // Asked for again after it failed.
    session.subscribe((now, before) => {
      if (before.unfound !== undefined && now.unfound === undefined && now.findings === before.findings)
        begin();
    }),
    session.subscribe((now, before) => {
      if (now.headroom !== before.headroom && now.headroom !== room) begin();
    }),
  ];
  return () => {
    ended = true;
    clearTimeout(timer);
    for (const stop of stops) stop();
  };
}

/** Looks into what a finding comes from. */
export async function lookIntoCauses(editor: Editor, finding: Finding): Promise<void> {
  const project = editor.history.project();
  const key = findingKey(finding);
  const causes = await askChecker(project, (worker, outline) => worker.causes(outline, finding));
  if (editor.session.getState().finding?.key === key)
    setDisplay(editor.session, { finding: { key, causes } });
}

/** When limbs stand by the keys of a layer, in its own frames. */
export const standsIn = (project: Project, layer: string): Promise<Stands> =>
  askChecker(project, (worker, outline) => worker.stands(outline, layer));

/** The project with a layer that stays under its headroom; undefined where it has changed meanwhile. */
export async function stayUnder(editor: Editor): Promise<((project: Project) => Project) | undefined> {
  const project = editor.history.project();
  const room = editor.session.getState().headroom?.room;
  if (!room) return undefined;
  const scalar = await askChecker(project, (worker, outline) =>
    worker.under(outline, room, limitsOf(project)),
  );
  if (scalar === undefined || editor.history.project() !== project) return undefined;
  return (now) => writeScalar(now, addressOfRoom(room), scalar);
}

/** What is found in a take alone, on its own skeleton or on the character. */
export const findingsOfTake = (alone: Project, limits: FindingLimits): Promise<Finding[] | undefined> =>
  askChecker(alone, (worker, outline) => worker.findings(outline, limits, 'take'));
