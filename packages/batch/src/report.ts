import { basename } from 'node:path';
import { type Applied, countOf, worstFirst } from '@evlay/core/apply';
import type { TakeDone } from './job.js';
import type { Outcome } from './run.js';

/** What came of a batch, the worst first. */
export interface BatchReport {
  readonly format: 'evlay-report';
  readonly version: 1;
  readonly kit: string;
  readonly rig?: string;
  readonly failed: readonly { readonly take: string; readonly reason: string }[];
  readonly takes: readonly (TakeDone & { readonly take: string })[];
}

const asApplied = (done: TakeDone) => done as unknown as Pick<Applied, 'before' | 'after' | 'report'>;

/** The report of outcomes: what failed by name, then what was done, the worst first. Where files lie is not in it. */
export function reportOf(kit: string, rig: string | undefined, outcomes: readonly Outcome[]): BatchReport {
  const failed = outcomes.flatMap((one) =>
    'failed' in one ? [{ take: basename(one.job.take.path), reason: one.failed }] : [],
  );
  const takes = outcomes.flatMap((one) =>
    'record' in one ? one.record.done.map((done) => ({ ...done, take: basename(one.job.take.path) })) : [],
  );
  const sorted = worstFirst(takes.map((take) => ({ name: take.name, take, applied: asApplied(take) })));
  return {
    format: 'evlay-report',
    version: 1,
    kit: basename(kit),
    ...(rig !== undefined && { rig: basename(rig) }),
    failed: failed.sort((a, b) => (a.take < b.take ? -1 : 1)),
    takes: sorted.map(({ take }) => take),
  };
}

export const reportJson = (report: BatchReport): string => `${JSON.stringify(report, null, 1)}\n`;

const escaped = (text: string): string => text.replace(/[&<>"']/g, (char) => `&#${char.charCodeAt(0)};`);

/** Poses of a strip that a page shows. */
const SHOWN = 8;
/** Size of one in units of the drawing: its height is the character's and a little more. */
const [WIDE, HIGH] = [0.95, 1.2];

/** A strip as a drawing of bones. */
function stripSvg({ strip: { bones, poses }, name }: TakeDone): string {
  const step = Math.max(1, (poses.length - 1) / (SHOWN - 1));
  const shown = Array.from({ length: Math.min(SHOWN, poses.length) }, (_, k) => poses[Math.round(k * step)]);
  const number = (value: number) => String(Math.round(value * 1000) / 1000);
  const figures = shown.map((pose, k) => {
    const lines = Array.from({ length: bones.length / 2 }, (_, b) => {
      const [i, j] = [bones[2 * b], bones[2 * b + 1]];
      const [x1, y1, x2, y2] = [pose[2 * i], pose[2 * i + 1], pose[2 * j], pose[2 * j + 1]];
      return `M${number(x1)} ${number(-y1)}L${number(x2)} ${number(-y2)}`;
    });
    return `<path transform="translate(${number((k + 0.5) * WIDE)} 0)" d="${lines.join('')}"/>`;
  });
  const box = `0 ${-HIGH + 0.1} ${number(shown.length * WIDE)} ${HIGH}`;
  return `<svg role="img" aria-label="Poses of ${escaped(name)}" viewBox="${box}">${figures.join('')}</svg>`;
}

const countText = (found: TakeDone['after']): string => {
  const list = found as Applied['after'];
  const said = (['fault', 'warn', 'note'] as const).flatMap((grade) => {
    const count = countOf(list, grade);
    if (count === 0) return [];
    const kinds = list.filter((one) => one.grade === grade).map(({ kind, count: many }) => `${kind} ${many}`);
    return [
      `<span class="${grade}">${count} ${NAMES[grade]}${count === 1 ? '' : 's'}</span> <small>${kinds.join(', ')}</small>`,
    ];
  });
  return said.length > 0 ? said.join('<br>') : 'nothing';
};
const NAMES = { fault: 'fault', warn: 'warning', note: 'note' } as const;

const round = (value: number, digits: number): string => String(Number(value.toFixed(digits)));

/** What is to be known of a take beside its findings. */
function remarks({ report, warnings }: TakeDone): string[] {
  const { lonely, shifted, bent, spansOut, leftOut, idle } = report;
  const few = (names: readonly string[]) =>
    names.slice(0, 6).join(', ') + (names.length > 6 ? ` and ${names.length - 6} more` : '');
  return [
    ...(lonely.length > 0
      ? [`no partner: ${few(lonely.map(({ name, frame }) => `${name} at ${round(frame, 1)}`))}`]
      : []),
    ...(shifted.length > 0 ? [`shifted: ${few(shifted)}`] : []),
    ...(bent.length > 0
      ? [
          `much shorter or longer: ${few(bent.map(({ from, to, scale }) => `${from.name} to ${to.name}, ${round(scale, 2)} times`))}`,
        ]
      : []),
    ...spansOut.map(({ layer, count }) => `${layer}: ${count} contacts too short`),
    ...(leftOut.length > 0
      ? [`left out: ${few(leftOut.map(({ layer, what, name }) => `${what} ${name} (${layer})`))}`]
      : []),
    ...(idle.length > 0 ? [`nothing left of: ${few(idle)}`] : []),
    ...warnings,
  ];
}

function rowOf(take: BatchReport['takes'][number]): string {
  const { name, seconds, before, after, keys, project, bake } = take;
  const file = (path: string) => `<a href="${encodeURIComponent(path)}">${escaped(path)}</a>`;
  const error = keys
    ? `${keys.after} of ${keys.before} keys<br><small>off by ${round(1000 * keys.length, 2)} mm (${escaped(keys.lengthJoint)}), ${round(keys.angle, 3)}° (${escaped(keys.angleJoint)})</small>`
    : 'every sample';
  const said = remarks(take).map((text) => `<li>${escaped(text)}</li>`);
  return `<article><h2>${escaped(name)}</h2><p class="files">${file(project)} ${file(bake)} · ${round(seconds, 2)} s</p>
${stripSvg(take)}
<dl><dt>Found before</dt><dd>${countText(before)}</dd><dt>Found after</dt><dd>${countText(after)}</dd><dt>Keys</dt><dd>${error}</dd></dl>${said.length > 0 ? `<ul>${said.join('')}</ul>` : ''}</article>`;
}

/** One page of a report that opens anywhere: nothing of it lies elsewhere but the files that it links to. */
export function reportHtml(report: BatchReport): string {
  const { kit, rig, failed, takes } = report;
  const wrong = failed.map(
    ({ take, reason }) => `<li><strong>${escaped(take)}</strong> ${escaped(reason)}</li>`,
  );
  return `<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${escaped(kit)} on ${takes.length} takes</title>
<style>${STYLE}</style>
<main><h1>${escaped(kit)} on ${takes.length} ${takes.length === 1 ? 'take' : 'takes'}${rig === undefined ? '' : `, onto ${escaped(rig)}`}</h1>
${wrong.length > 0 ? `<section class="failed"><h2>${wrong.length} failed</h2><ul>${wrong.join('')}</ul></section>` : ''}
${takes.map(rowOf).join('\n')}
${takes.length === 0 ? '<p>No take came through.</p>' : ''}</main></html>
`;
}

const STYLE = `:root{color-scheme:dark}body{margin:0;background:#0e1b20;color:#eaf1ec;font:15px/1.45 system-ui,sans-serif}
main{max-width:1100px;margin:0 auto;padding:24px}h1{font-size:22px}h2{font-size:16px;margin:0}
article,.failed{background:#15272d;border:1px solid #2b474f;border-radius:6px;padding:14px 16px;margin:14px 0}
.failed{border-color:#ff7a66;color:#ff7a66}.failed strong{color:#eaf1ec}.files{margin:2px 0 8px;color:#9db5b2}a{color:#9db5b2}
svg{width:100%;height:110px;background:#0e1b20;border-radius:6px}path{fill:none;stroke:#ffc857;stroke-width:.018;stroke-linecap:round}
dl{display:grid;grid-template-columns:repeat(3,1fr);gap:2px 18px;grid-auto-flow:column;grid-template-rows:auto auto;margin:10px 0 0}
dt{color:#9db5b2}dd{margin:0}small{color:#9db5b2}ul{margin:10px 0 0;padding-left:18px;color:#9db5b2}.fault{color:#ff7a66}.warn{color:#ffc857}
@media(max-width:640px){dl{grid-auto-flow:row;grid-template-columns:1fr;grid-template-rows:none}}`;
