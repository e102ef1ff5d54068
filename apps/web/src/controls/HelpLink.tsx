import { chakra } from '@chakra-ui/react';
import { CircleHelp } from 'lucide-react';
import { Link } from 'react-router';

const Anchor = chakra(Link);

/** Opens Help at the step that a panel is about. */
export const HelpLink = ({ step }: { step: string }) => (
  <Anchor
    to={`/help#${encodeURIComponent(step)}`}
    aria-label={`How to: ${step}`}
    title={`How to: ${step}`}
    color="quiet"
    display="inline-flex"
    alignItems="center"
    justifyContent="center"
    width="26px"
    height="26px"
    borderRadius="l1"
    _hover={{ color: 'text' }}
  >
    <CircleHelp size={14} aria-hidden />
  </Anchor>
);
