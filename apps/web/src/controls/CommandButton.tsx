import type { LucideIcon } from 'lucide-react';
import { type Command, perform, refusalOf } from '../commands/command.js';
import { useShortcut } from '../commands/key-map.js';
import { useEditor } from '../editor/context.js';
import { Choice } from '../ui/Choice.js';
import { ToolButton } from '../ui/ToolButton.js';

interface CommandProps<A> {
  readonly command: Command<A>;
  readonly arg: A;
  /** Whether it is on, for a switch or a choice. */
  readonly on?: boolean;
}

interface CommandButtonProps<A> extends CommandProps<A> {
  readonly icon: LucideIcon;
  /** In place of the command's name. */
  readonly label?: string;
  /** What it does now, beside its name in the tooltip. */
  readonly does?: string;
  /** Whether it is off for good here, and not only refused now. */
  readonly disabled?: boolean;
}

/** A small square button that does a command. One that cannot be done now is dimmed, and tells why when it is pressed. */
export function CommandButton<A>(props: CommandButtonProps<A>) {
  const { command, arg, on, icon, label, does, disabled } = props;
  const editor = useEditor();
  const refused = refusalOf(editor, command, arg);
  const hotkey = useShortcut(command);
  return (
    <ToolButton
      label={label ?? command.name}
      icon={icon}
      on={on}
      hotkey={hotkey}
      disabled={disabled}
      dimmed={refused?.reason}
      does={does}
      onClick={() => perform(editor, command, arg)}
    />
  );
}

interface CommandChoiceProps<A> extends CommandProps<A> {
  readonly on: boolean;
  readonly title?: string;
  readonly children: React.ReactNode;
}

/** One of a few words of which one is chosen, or a small button in a row of values, that does a command. */
export function CommandChoice<A>({ command, arg, on, title, children }: CommandChoiceProps<A>) {
  const editor = useEditor();
  const refused = refusalOf(editor, command, arg);
  return (
    <Choice
      on={on}
      title={refused ? `${command.name}: ${refused.reason}` : title}
      dimmed={refused !== undefined}
      onClick={() => perform(editor, command, arg)}
    >
      {children}
    </Choice>
  );
}
