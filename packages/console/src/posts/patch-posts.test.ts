import { expect, test } from '@jest/globals';
import { QueryClient } from '@tanstack/react-query';
import { patchEverywhere } from './patch-posts';

const post = (id: string) => ({ id, reaction: null, tallies: { net: 0 } });

test('a post is changed in every list that holds it, and lists that do not are left as they are', () => {
  const client = new QueryClient();
  const other = { pages: [{ items: [post('b')], next: null }] };
  client.setQueryData(['feed'], { pages: [{ items: [post('a'), post('b')] }, { items: [post('c')] }] });
  client.setQueryData(['post', 'a'], post('a'));
  client.setQueryData(['other'], other);
  client.setQueryData(['me'], { id: 'a', name: 'somebody with the same id' });
  patchEverywhere(client, 'a', (thing) => ({ ...thing, reaction: 'like' }));
  expect(client.getQueryData(['feed'])).toMatchObject({
    pages: [{ items: [{ id: 'a', reaction: 'like' }, { reaction: null }] }, {}],
  });
  expect(client.getQueryData(['post', 'a'])).toMatchObject({ reaction: 'like' });
  expect(client.getQueryData(['other'])).toBe(other);
  expect(client.getQueryData(['me'])).not.toHaveProperty('reaction');
});
