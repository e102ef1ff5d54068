import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/jetbrains-mono';
import { Box, ChakraProvider } from '@chakra-ui/react';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Outlet, RouterProvider } from 'react-router';
import { HintLine } from './controls/bars/HintLine.js';
import { DropZone } from './controls/DropZone.js';
import { Bake } from './routes/Bake.js';
import { Broken } from './routes/Broken.js';
import { Guarded } from './routes/Guarded.js';
import { Help } from './routes/Help.js';
import { Layers } from './routes/Layers.js';
import { ProjectRoute } from './routes/ProjectRoute.js';
import { Projects } from './routes/Projects.js';
import { Sheet } from './routes/Sheet.js';
import { Takes } from './routes/Takes.js';
import { sweep } from './storage/storage.js';
import { restoreTheme, system } from './theme/theme.js';
import { notify } from './ui/notify.js';

restoreTheme();
// An error that no code awaited is told to the user: otherwise a press would do nothing and say nothing.
window.addEventListener('unhandledrejection', ({ reason }) => {
  const text = reason instanceof Error ? reason.message : String(reason);
  notify({ title: 'Something did not work', text, alarm: true });
});
// A browser that keeps nothing has nothing to sweep.
sweep().catch(() => undefined);

const router = createBrowserRouter([
  {
    element: (
      <DropZone>
        <Box height="100%" display="flex" flexDirection="column">
          <Box flex="1" minHeight="0">
            <Outlet />
          </Box>
          <HintLine />
        </Box>
      </DropZone>
    ),
    errorElement: <Broken />,
    children: [
      { path: '/', element: <Projects /> },
      { path: '/help', element: <Help /> },
      {
        path: '/p/:id',
        element: <ProjectRoute />,
        children: [
          { index: true, element: <Layers /> },
          { path: 'takes', element: <Takes /> },
          {
            path: 'sheet',
            element: (
              <Guarded name="The sheet">
                <Sheet />
              </Guarded>
            ),
          },
          {
            path: 'bake',
            element: (
              <Guarded name="The bake">
                <Bake />
              </Guarded>
            ),
          },
        ],
      },
    ],
  },
]);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <ChakraProvider value={system}>
      <RouterProvider router={router} />
    </ChakraProvider>
  </StrictMode>,
);
