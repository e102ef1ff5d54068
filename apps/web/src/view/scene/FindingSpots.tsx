import { jointIndex } from '@evlay/core/rig';
import { useThree } from '@react-three/fiber';
import { useEffect, useMemo } from 'react';
import * as THREE from 'three';
import { useMarkedFindings } from '../../controls/shown-findings.js';
import { useEditor, useSession } from '../../editor/context.js';

/** Half the size of a spot, in view units, in which every character is 1.6 tall. */
const SIZE = 0.02;
const ALARM = '#FF7A66';

/** Spots on the joints in which something graver than a note is found at the frame that is shown. */
export function FindingSpots({ scale }: { scale: number }) {
  const { stage } = useEditor();
  const findings = useMarkedFindings();
  const away = useSession((state) => state.playing || state.handling);
  const invalidate = useThree((state) => state.invalidate);
  const group = useMemo(() => new THREE.Group(), []);
  useEffect(() => {
    const geometry = new THREE.OctahedronGeometry(SIZE);
    const material = new THREE.MeshBasicMaterial({
      color: ALARM,
      depthTest: false,
      transparent: true,
      opacity: 0.9,
    });
    const grave = findings.filter(({ joint }) => joint !== undefined);
    const draw = () => {
      const { matrices, frame, project } = stage.get();
      const here = new Set(
        grave.flatMap(({ joint, from, to }) =>
          frame >= from - 0.5 && frame <= to + 0.5 ? [jointIndex(project.rig, joint!)] : [],
        ),
      );
      const joints = [...here].filter((j) => j >= 0);
      while (group.children.length < joints.length) {
        const spot = new THREE.Mesh(geometry, material);
        spot.raycast = () => undefined;
        spot.renderOrder = 9;
        group.add(spot);
      }
      for (const [k, spot] of group.children.entries()) {
        spot.visible = k < joints.length;
        if (spot.visible) spot.position.fromArray(matrices, 16 * joints[k] + 12).multiplyScalar(scale);
      }
      invalidate();
    };
    draw();
    const stop = stage.subscribe(draw);
    return () => {
      stop();
      group.clear();
      geometry.dispose();
      material.dispose();
      invalidate();
    };
  }, [stage, findings, group, scale, invalidate]);
  return away ? null : <primitive object={group} />;
}
