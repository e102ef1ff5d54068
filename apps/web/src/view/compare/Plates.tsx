import { Box } from '@chakra-ui/react';
import { useState } from 'react';
import { useSession } from '../../editor/context.js';
import { filmFrame } from '../film-frame.js';
import { useSize } from '../use-size.js';
import { ReferencePicture } from './ReferencePicture.js';
import { usePlates } from './use-plates.js';

/** References behind the characters while a camera is looked through, as large as what it films. */
export function Plates() {
  const plates = usePlates();
  const ratio = useSession((state) => state.filmRatio);
  const [element, setElement] = useState<HTMLDivElement | null>(null);
  const size = useSize(element);
  if (plates.length === 0) return null;
  const { left, top, width, height } = filmFrame(size.width, size.height, ratio);
  return (
    <Box ref={setElement} position="absolute" inset="0" bg="black" data-plate>
      {size.width > 0 &&
        plates.map((one) => (
          <ReferencePicture
            key={one.id}
            reference={one}
            style={{
              position: 'absolute',
              left,
              top,
              width,
              height,
              objectFit: 'cover',
              opacity: one.opacity,
            }}
          />
        ))}
    </Box>
  );
}
