import { Box, Text } from '@chakra-ui/react';
import { compileStack, countKeys, layerTags, type Project } from '@evlay/core';
import { bakeBlock, type MergeKind, type MergePlan, nameOfRun, planMerge } from '@evlay/core/bake';
import { type MergedRun, putMerged } from '@evlay/core/edit';
import { type Job, startJob } from '@evlay/core/job';
import { type KeyLimits, usualLimits } from '@evlay/core/keys';
import { facesOf, partLabel } from '@evlay/core/rig';
import type { Motion } from '@evlay/core/take';
import { type ReactNode, useEffect, useMemo, useState } from 'react';
import { perform } from '../../commands/command.js';
import { closeMerging, mergeRun, placesOf, putMerge, type Run } from '../../commands/stack/merging.js';
import { FigureStrip } from '../../controls/FigureStrip.js';
import { KeyLimitFields } from '../../controls/KeyLimitFields.js';
import { useEditor, useProject, useSession } from '../../editor/context.js';
import { mergeRun as workOut } from '../../jobs/workers.js';
import { Choice } from '../../ui/Choice.js';
import { ProgressBar } from '../../ui/ProgressBar.js';
import { Row } from '../../ui/Row.js';
import { Select } from '../../ui/Select.js';
import { WorkFoot, WorkPanel } from './WorkPanel.js';

/** Milliseconds without a change of limits before it is worked out anew. */
const CALM = 250;
/** Figures of a strip. */
const FIGURES = 9;

/** What a run of layers becomes as one, looked at before anything happens. */
export function MergePanel() {
  const run = useSession((state) => state.merging);
  return run ? <Preview run={run} /> : null;
}

const BECOMES: Record<MergeKind, string> = {
  base: 'a new base',
  additive: 'one additive layer',
  override: 'one override layer',
};

interface Found {
  readonly of: Project;
  readonly result?: MergedRun;
  readonly failed?: string;
}

function Preview({ run }: { run: Run }) {
  const editor = useEditor();
  const project = useProject((current) => current);
  const { rig } = project;
  const [few, setFew] = useState(true);
  const [limits, setLimits] = useState<KeyLimits>(() => usualLimits(rig));
  const [found, setFound] = useState<Found>();
  const [job, setJob] = useState<Job<MergedRun>>();
  const [from, to] = placesOf(project, run);
  const plan = useMemo(() => planMerge(project, from, to), [project, from, to]);
  const can = typeof plan !== 'string';

  // Limits that are set anew, even to what they are, let it be worked out once more.
  useEffect(() => {
    setFound(undefined);
    if (!can) return;
    let own: Job<MergedRun> | undefined;
    const timer = setTimeout(() => {
      own = startJob('Merging', (work) => workOut(project, { from, to, ...(few && { limits }) }, work));
      setJob(own);
      own.result
        .then((result) => result && setFound({ of: project, result }))
        .catch((error: Error) => setFound({ of: project, failed: error.message }));
    }, CALM);
    return () => {
      clearTimeout(timer);
      own?.cancel();
    };
  }, [project, from, to, few, limits, can]);

  const result = found?.of === project ? found.result : undefined;
  const close = () => perform(editor, closeMerging, undefined);
  return (
    <WorkPanel
      label="Merge layers"
      help="Fold"
      leave={closeMerging.name}
      onLeave={close}
      foot={
        <WorkFoot
          name="Merge"
          disabled={!result}
          onPut={() => result && perform(editor, putMerge, { run, result, of: project })}
          onLeave={close}
        />
      }
    >
      <Row label="from">
        <LayerChoice
          label="Lowest layer that is merged"
          at={from}
          onChoose={(id) => look(id, project.layers[to].id)}
        />
      </Row>
      <Row label="to">
        <LayerChoice
          label="Topmost layer that is merged"
          at={to}
          onChoose={(id) => look(project.layers[from].id, id)}
        />
      </Row>
      {typeof plan === 'string' ? (
        <Text color="alarm" role="alert">
          {plan}.
        </Text>
      ) : (
        <>
          <Becomes plan={plan} result={result} />
          <Row label="as">
            <Choice
              on={few}
              onClick={() => setFew(true)}
              title="Keys that can be worked on, no further off than you say"
            >
              few keys
            </Choice>
            <Choice on={!few} onClick={() => setFew(false)} title="A take that holds every frame exactly">
              every frame
            </Choice>
          </Row>
          {few && (
            <Row label="within">
              <KeyLimitFields limits={limits} onChange={setLimits} />
            </Row>
          )}
          <Row label="result">
            {found?.failed !== undefined ? (
              <>
                <Text color="alarm" role="alert">
                  {found.failed}
                </Text>
                <Choice on={false} onClick={() => setLimits({ ...limits })} title="Work it out once more">
                  try again
                </Choice>
              </>
            ) : result ? (
              <Text role="status" aria-label="What comes out">
                {comesOut(project, plan, result)}
              </Text>
            ) : (
              job && <ProgressBar label="Working out the merge" done={job.progress} />
            )}
          </Row>
          <Strips project={project} plan={plan} result={result} />
        </>
      )}
    </WorkPanel>
  );

  function look(a: string, b: string) {
    perform(editor, mergeRun, { from: a, to: b });
  }
}

function LayerChoice({ label, at, onChoose }: { label: string; at: number; onChoose: (id: string) => void }) {
  const layers = useProject((project) => project.layers);
  const tags = layerTags(layers);
  return (
    <Select label={label} value={layers[at].id} onChoose={onChoose}>
      {[...layers.entries()].reverse().map(([k, { id, name }]) => (
        <option key={id} value={id}>
          {tags[k]} {name}
        </option>
      ))}
    </Select>
  );
}

/** What goes, what comes out of it, and what will not show through any more, in words. */
function Becomes({ plan, result }: { plan: MergePlan; result: MergedRun | undefined }) {
  const { rig, parts } = plan.project;
  const { kind, merged, dropped, variants } = plan;
  const hidden =
    kind === 'override' && result
      ? [...new Set(result.joints.map((name) => parts[rig.joints.findIndex((joint) => joint.name === name)]))]
      : [];
  const names = (list: readonly { readonly name: string }[]) =>
    list.map(({ name }) => `“${name}”`).join(', ');
  const top = nameOfRun(plan.project.layers, plan);
  return (
    <>
      <Line label="goes">{names(merged)}</Line>
      {dropped.length > 0 && (
        <Line label="" alarm>
          {names(dropped)} {dropped.length === 1 ? 'does' : 'do'} not play, and{' '}
          {dropped.length === 1 ? 'goes' : 'go'} without leaving anything
        </Line>
      )}
      <Line label="becomes">
        {BECOMES[kind]}, “{top}”
      </Line>
      {hidden.length > 0 && (
        <Line label="" alarm>
          what is below no longer shows through in {hidden.map(partLabel).join(', ')}
        </Line>
      )}
      {variants.length > 0 && (
        <Line label="" alarm>
          what the {variants.length === 1 ? 'variant' : 'variants'}{' '}
          {variants.map((name) => `“${name}”`).join(', ')} say of these layers is lost
        </Line>
      )}
      {kind === 'base' && <Line label="">the takes stay</Line>}
    </>
  );
}

const Line = ({
  label,
  alarm = false,
  children,
}: {
  label: string;
  alarm?: boolean;
  children: ReactNode;
}) => (
  <Row label={label}>
    <Text color={alarm ? 'alarm' : 'text'} flex="1">
      {children}
    </Text>
  </Row>
);

function comesOut(
  { rig, metresPerUnit }: Project,
  { merged }: MergePlan,
  { keys, joints, first, step }: MergedRun,
): string {
  if (joints.length === 0) return 'Nothing: these layers do nothing in the range';
  if (!keys) return `every frame of ${joints.length} joints`;
  const { before, after, error } = keys;
  const had = merged.reduce((sum, layer) => sum + countKeys(layer), 0);
  const count = (value: number) => value.toLocaleString('en-GB');
  const at = (sample: number) => Math.round(first + step * sample);
  const off = `${(error.length * metresPerUnit * 1000).toFixed(2)} mm off (${rig.joints[error.moved].name} at ${at(error.movedAt)})`;
  const turned = `${error.angle.toFixed(2)}° (${rig.joints[error.turned].name} at ${at(error.turnedAt)})`;
  const face =
    facesOf(rig).length > 0 && error.number > 0
      ? `, ${error.number.toFixed(4)} (${facesOf(rig)[error.changed].name} at ${at(error.changedAt)})`
      : '';
  const now = had > 0 ? ` (there were ${count(had)})` : '';
  return `${count(after)} keys${now}, where every frame would be ${count(before)}; at most ${off}, ${turned}${face}`;
}

/** Poses before and after, at moments of the range. */
function Strips({
  project,
  plan,
  result,
}: {
  project: Project;
  plan: MergePlan;
  result: MergedRun | undefined;
}) {
  const before = useMemo(() => figuresOf(project), [project]);
  const after = useMemo(
    () => result && figuresOf(putMerged(project, plan, result.merged)),
    [project, plan, result],
  );
  return (
    <>
      <Row label="before">
        <FigureStrip take={before} width={250} height={52} />
      </Row>
      <Row label="after">
        {after ? <FigureStrip take={after} width={250} height={52} /> : <Box height="52px" />}
      </Row>
    </>
  );
}

function figuresOf(project: Project): Motion {
  const [first, last] = project.range;
  const step = Math.max(1e-3, (last - first) / (FIGURES - 1));
  const plan = { first, step, count: FIGURES, rate: project.fps / step };
  return { rig: project.rig, ...bakeBlock(compileStack(project), plan, 0, FIGURES) };
}
