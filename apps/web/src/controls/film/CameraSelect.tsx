import { useMemo } from 'react';
import { useProject } from '../../editor/context.js';
import { Select } from '../../ui/Select.js';

interface CameraSelectProps {
  readonly label: string;
  /** The name of a camera of the scene; from where the view looks where missing. */
  readonly camera: string | undefined;
  readonly onChoose: (camera: string | undefined) => void;
}

/** Chooses which camera of the scene films, or that the view does. */
export function CameraSelect({ label, camera, onChoose }: CameraSelectProps) {
  const props = useProject((project) => project.scene.props);
  const names = useMemo(() => props.flatMap((prop) => (prop.camera ? [prop.name] : [])), [props]);
  return (
    <Select label={label} value={camera ?? ''} onChoose={(name) => onChoose(name === '' ? undefined : name)}>
      <option value="">as the view looks</option>
      {names.map((name) => (
        <option key={name} value={name}>
          {name}
        </option>
      ))}
    </Select>
  );
}
