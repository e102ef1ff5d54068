import { Box, Text } from '@chakra-ui/react';
import { isRouteErrorResponse, Link, useRouteError } from 'react-router';
import { Header } from '../controls/bars/Header.js';

/** What is shown of an address that leads nowhere, and of a screen that failed as a whole. */
export function Broken() {
  const error = useRouteError();
  const nowhere = isRouteErrorResponse(error) && error.status === 404;
  return (
    <Box height="100%" display="flex" flexDirection="column">
      <Header />
      <Box as="main" p="8" role="alert">
        <Text fontWeight="600" fontSize="18px" mb="2">
          {nowhere ? 'There is nothing at this address' : 'This screen cannot be shown'}
        </Text>
        {!nowhere && (
          <Text color="quiet" mb="2">
            Your projects are safe. What happened: {error instanceof Error ? error.message : String(error)}
          </Text>
        )}
        <Link to="/">Back to the projects</Link>
      </Box>
    </Box>
  );
}
