import { Box, chakra } from '@chakra-ui/react';
import { CircleHelp, Moon, Sun } from 'lucide-react';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { setTheme } from '../../theme/theme.js';
import { useTheme } from '../../theme/use-theme.js';
import { ToolButton } from '../../ui/ToolButton.js';

interface HeaderProps {
  /** What stands behind the name of the application, in the middle, and in front of what is always there. */
  readonly name?: ReactNode;
  readonly screens?: ReactNode;
  readonly tools?: ReactNode;
}

/** The bar above every screen. */
export function Header({ name, screens, tools }: HeaderProps) {
  const theme = useTheme();
  return (
    <Box
      as="header"
      height="40px"
      flex="none"
      display="flex"
      alignItems="center"
      gap="3"
      px="3"
      bg="panel"
      borderBottomWidth="1px"
      borderColor="line"
    >
      <chakra.span asChild fontWeight="700" fontSize="15px" letterSpacing="0.01em">
        <Link to="/" title="All projects">
          evlay
        </Link>
      </chakra.span>
      {name}
      <Box flex="1" />
      {screens}
      <Box flex="1" />
      {tools}
      <ToolButton
        label={theme === 'dark' ? 'Light theme' : 'Dark theme'}
        icon={theme === 'dark' ? Sun : Moon}
        onClick={() => setTheme(theme === 'dark' ? 'light' : 'dark')}
      />
      <chakra.span asChild color="quiet" display="inline-flex" _hover={{ color: 'text' }}>
        <Link to="/help" aria-label="Help" title="Help (?)">
          <CircleHelp size={16} aria-hidden />
        </Link>
      </chakra.span>
    </Box>
  );
}
