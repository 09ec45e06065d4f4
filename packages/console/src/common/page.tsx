import { lazy, Suspense, type ComponentType, type ReactElement } from 'react';
import { LoadingPosts } from './states';

/** A page that is loaded when it is looked at first: nobody waits for the packages of others. */
export function page<Name extends string>(
  load: () => Promise<Readonly<Record<Name, ComponentType>>>,
  name: Name,
): ReactElement {
  const Page = lazy<ComponentType>(async () => ({ default: (await load())[name] }));
  return (
    <Suspense fallback={<LoadingPosts count={1} />}>
      <Page />
    </Suspense>
  );
}
