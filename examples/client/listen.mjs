// Tells what happens to somebody, as it happens; run it beside the demo, and again: it goes on where it stopped. node listen.mjs
import { readFileSync, writeFileSync } from 'node:fs';
import { createClient, followEvents, unwrap } from '@gather-lane/client';

const address = process.env.GATHER_LANE_ADDRESS ?? 'http://127.0.0.1:7461';
const KEPT = process.env.LISTEN_KEPT ?? '.last-event';
const [login, password] = [process.env.LISTEN_AS ?? 'odile', 'tidewick-demo'];
const session = unwrap(await createClient({ address }).POST('/v1/sessions', { body: { login, password } }));
const read = () => {
  try {
    return readFileSync(KEPT, 'utf8');
  } catch {
    return undefined;
  }
};
for await (const { id, event, data } of followEvents({ address, token: () => session.accessToken, after: read() })) {
  if (event === 'notification') console.log(`${data.actors[0].name} ${data.kind}: ${data.text}`);
  if (event === 'unseen') console.log(`${data.unseen}${data.more ? '+' : ''} unseen`);
  if (event === 'reset') console.log('Some may have been missed: read the list afresh.');
  if (id) writeFileSync(KEPT, id);
}
