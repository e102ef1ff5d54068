import { chakra, type HTMLChakraProps } from '@chakra-ui/react';
import type { LucideIcon } from 'lucide-react';

interface ToolButtonProps extends Omit<HTMLChakraProps<'button'>, 'label'> {
  readonly label: string;
  readonly icon: LucideIcon;
  /** For a switch: whether it is on. Left out for a plain button. */
  readonly on?: boolean;
  /** Why it does nothing now but tell that. */
  readonly dimmed?: string;
  /** What it does now, beside its name in the tooltip. */
  readonly does?: string;
  /** The key that does the same. */
  readonly hotkey?: string;
}

/** A small square button with a picture, a name and a tooltip that names its key. */
export function ToolButton({ label, icon: Icon, on, dimmed, does, hotkey, ...button }: ToolButtonProps) {
  return (
    <chakra.button
      type="button"
      aria-label={label}
      aria-pressed={on}
      aria-disabled={dimmed !== undefined || undefined}
      title={[hotkey ? `${label} (${hotkey})` : label, dimmed ?? does].filter(Boolean).join(': ')}
      display="inline-flex"
      alignItems="center"
      justifyContent="center"
      width="26px"
      flex="none"
      height="24px"
      borderRadius="l1"
      cursor="pointer"
      color={on ? 'text' : 'quiet'}
      bg={on ? 'raised' : 'transparent'}
      _hover={{ color: 'text', bg: 'raised' }}
      opacity={dimmed ? 0.4 : 1}
      _disabled={{ opacity: 0.4, cursor: 'default', bg: 'transparent' }}
      {...button}
    >
      <Icon size={15} aria-hidden />
    </chakra.button>
  );
}
