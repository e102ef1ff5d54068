import { frameNumber, type Project } from '@evlay/core';
import type { Difference } from '@evlay/core/edit';

/** How far two motions are apart, in words for people: in degrees and centimetres, with the joint and the frame. */
export function differenceText(project: Project, { length, angle, joint, frame }: Difference): string {
  const centimetres = 100 * length * project.metresPerUnit;
  const fine = (value: number) => (value < 0.1 ? value.toPrecision(1) : value.toFixed(1));
  return `${fine(angle)}° and ${fine(centimetres)} cm (${joint}, frame ${frameNumber(project, frame)})`;
}
