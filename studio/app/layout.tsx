import '@fontsource-variable/commissioner/index.css';
import '@fontsource-variable/sometype-mono/index.css';
import InitColorSchemeScript from '@mui/material/InitColorSchemeScript';
import { AppRouterCacheProvider } from '@mui/material-nextjs/v16-appRouter';
import type { Metadata } from 'next';
import { headers } from 'next/headers';
import type { ReactNode } from 'react';
import { Providers } from '../theme/providers';
import '../theme/tokens.css';
import '../theme/global.css';
import '../features/fold/fold.css';
import '../features/fold/leaves.css';
import '../features/fold/pins.css';
import '../features/topics/topics.css';

export const metadata: Metadata = {
  title: { default: 'Up Hinge', template: '%s · Up Hinge' },
  description: 'Gateway flows, designed with the message in view',
};

export default async function RootLayout({ children }: { children: ReactNode }) {
  const nonce = (await headers()).get('x-nonce') ?? undefined;
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <InitColorSchemeScript attribute='[data-mode="%s"]' defaultMode="system" nonce={nonce} />
        <AppRouterCacheProvider options={{ enableCssLayer: false, nonce }}>
          <Providers>{children}</Providers>
        </AppRouterCacheProvider>
      </body>
    </html>
  );
}
