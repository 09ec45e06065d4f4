// An app with its own sign-in. It signs its users' access tokens and publishes its keys; Gather Lane takes the tokens as
// they are. Run: node app.mjs --print-configuration > gather-lane.yaml, start the service beside it, then: node app.mjs
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { exportJWK, exportPKCS8, generateKeyPair, importPKCS8, SignJWT } from 'jose';

const ISSUER = 'https://app.example';
const AUDIENCE = 'gather-lane';
const folder = process.env.APP_FOLDER ?? dirname(fileURLToPath(import.meta.url));
const service = process.env.GATHER_LANE_ADDRESS ?? 'http://127.0.0.1:7461';
const [privatePath, publicPath] = [join(folder, 'private-key.pem'), join(folder, 'keys.json')];

/** The app's own key pair: the private one stays here, the public one Gather Lane reads. */
async function keyPair() {
  if (!existsSync(privatePath)) {
    const { privateKey, publicKey } = await generateKeyPair('RS256', { extractable: true });
    writeFileSync(privatePath, await exportPKCS8(privateKey), { mode: 0o600 });
    const key = { ...(await exportJWK(publicKey)), kid: 'app-1', alg: 'RS256', use: 'sig' };
    writeFileSync(publicPath, JSON.stringify({ keys: [key] }, null, 2));
  }
  return importPKCS8(readFileSync(privatePath, 'utf8'), 'RS256');
}

/** What the app hands to Gather Lane for somebody who is signed in to it. */
const tokenFor = async ({ id, name, handle }) =>
  new SignJWT({ name, preferred_username: handle })
    .setProtectedHeader({ alg: 'RS256', kid: 'app-1' })
    .setIssuer(ISSUER)
    .setAudience(AUDIENCE)
    .setSubject(id)
    .setExpirationTime('5 min')
    .sign(await keyPair());

async function call(token, method, path, body) {
  const reply = await fetch(service + path, {
    method,
    headers: { authorization: `Bearer ${token}`, ...(body && { 'content-type': 'application/json' }) },
    ...(body && { body: JSON.stringify(body) }),
  });
  if (!reply.ok) throw new Error(`${method} ${path}: ${reply.status} ${await reply.text()}`);
  return reply.json();
}

await keyPair();
if (process.argv.includes('--print-configuration')) {
  const issuer = { issuer: ISSUER, audience: AUDIENCE, keys: publicPath, algorithms: ['RS256'] };
  process.stdout.write(`signIn:\n  issuers:\n    - ${JSON.stringify(issuer)}\n`);
} else {
  // Whoever the app knows to be signed in; here two made-up people.
  const ned = { id: 'app-user-17', name: 'Ned Alder', handle: 'ned' };
  const token = await tokenFor(ned);
  const me = await call(token, 'GET', '/v1/me');
  await call(token, 'POST', '/v1/posts', { body: 'Through the app’s own sign-in' });
  const { items } = await call(token, 'GET', '/v1/feeds/following?order=recent');
  process.stdout.write(
    `${me.name}, as @${me.handle}: ${items.length} ${items.length === 1 ? 'post' : 'posts'} in the feed, the newest "${items[0].body}"\n`,
  );
}
