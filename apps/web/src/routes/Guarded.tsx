import { Box, Button, Text } from '@chakra-ui/react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';
import { perform } from '../commands/command.js';
import { exportProject } from '../commands/project/project.js';
import { useEditor } from '../editor/context.js';

/** A part of the screen that can fail on its own: the others go on, and the project is safe. */
export const Guarded = ({ name, children }: { name: string; children: React.ReactNode }) => (
  <ErrorBoundary fallbackRender={(props) => <Failed name={name} {...props} />}>{children}</ErrorBoundary>
);

function Failed({ name, error, resetErrorBoundary }: FallbackProps & { name: string }) {
  const editor = useEditor();
  return (
    <Box role="alert" p="4" height="100%" overflow="auto" bg="panel">
      <Text fontWeight="600" color="alarm" mb="1">
        {name} cannot be shown
      </Text>
      <Text mb="1">Your project is safe: what you did is saved, and can be exported here.</Text>
      <Text color="quiet" mb="3">
        What happened: {error instanceof Error ? error.message : String(error)}
      </Text>
      <Box display="flex" gap="2">
        <Button size="xs" bg="lamp" color="onLamp" onClick={resetErrorBoundary}>
          Show it again
        </Button>
        <Button
          size="xs"
          variant="outline"
          borderColor="line"
          color="text"
          onClick={() => perform(editor, exportProject, undefined)}
        >
          Export the project
        </Button>
      </Box>
    </Box>
  );
}
