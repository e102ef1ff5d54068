import { chakra } from '@chakra-ui/react';
import type { LucideIcon } from 'lucide-react';

interface ToolButtonProps {
  readonly label: string;
  readonly icon: LucideIcon;
  /** For a switch: whether it is on. Left out for a plain button. */
  readonly on?: boolean;
  readonly disabled?: boolean;
  /** Why it does nothing now but tell that. */
  readonly dimmed?: string;
  /** The key that does the same. */
  readonly hotkey?: string;
  readonly onClick: () => void;
}

/** A small square button with a picture, a name and a tooltip that names its key. */
export function ToolButton({ label, icon: Icon, on, disabled, dimmed, hotkey, onClick }: ToolButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      aria-pressed={on}
      aria-disabled={dimmed !== undefined || undefined}
      title={[hotkey ? `${label} (${hotkey})` : label, dimmed].filter(Boolean).join(': ')}
      disabled={disabled}
      onClick={onClick}
      display="inline-flex"
      alignItems="center"
      justifyContent="center"
      width="26px"
      height="24px"
      borderRadius="l1"
      cursor="pointer"
      color={on ? 'text' : 'quiet'}
      bg={on ? 'raised' : 'transparent'}
      _hover={{ color: 'text', bg: 'raised' }}
      opacity={dimmed ? 0.4 : 1}
      _disabled={{ opacity: 0.4, cursor: 'default', bg: 'transparent' }}
    >
      <Icon size={15} aria-hidden />
    </chakra.button>
  );
}
