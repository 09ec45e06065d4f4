import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { startTestService, type TestService } from '../../tests/test-service.js';

let service: TestService;
const password = 'narrowboat crew';
beforeAll(async () => {
  service = await startTestService({ mailbox: true });
  for (const handle of ['odile', 'bram'])
    await service.call('POST', '/v1/users', {
      body: { name: handle, handle, email: `${handle}@cut.example`, password },
    });
});
afterAll(() => service.stop());

const ask = (email: string) => service.call('POST', '/v1/password-resets', { body: { email } });
const redeem = async (token: string, secret = 'a new one for me') =>
  (await service.call('POST', '/v1/password-resets/redeem', { body: { token, password: secret } })).status;
const signIn = async (login: string, secret: string) =>
  await service.call<{ accessToken: string }>('POST', '/v1/sessions', { body: { login, password: secret } });
const mails = async () =>
  (
    await service.call<{ items: { to: string; subject: string; text: string }[] }>('GET', '/v1/operator/mailbox', {
      as: service.operatorKey,
    })
  ).json.items;
/** Waits for so many messages: they are sent once the answer is out. */
async function waitFor(count: number) {
  for (let i = 0; i < 100 && (await mails()).length < count; i++)
    await new Promise((resolve) => setTimeout(resolve, 50));
  return mails();
}
const tokenIn = (text: string) => /#token=([\w-]+)/.exec(text)![1]!;

describe('a forgotten password', () => {
  test('is set anew by a link that works once, and every session ends', async () => {
    const { json } = await signIn('odile', password);
    expect((await ask('Odile@Cut.Example')).status).toBe(202);
    const [mail] = await waitFor(1);
    expect(mail).toMatchObject({ to: 'odile@cut.example', subject: 'Set a new password' });
    expect(mail!.text).toContain(`${service.address}/reset-password#token=`);
    expect(await redeem(tokenIn(mail!.text), 'short')).toBe(422);
    expect(await redeem(tokenIn(mail!.text))).toBe(204);
    expect(await redeem(tokenIn(mail!.text))).toBe(410);
    expect((await service.call('GET', '/v1/me', { as: json.accessToken })).status).toBe(401);
    expect([(await signIn('odile', password)).status, (await signIn('odile', 'a new one for me')).status]).toEqual([
      401, 201,
    ]);
  });

  test('the answer is the same for an address without an account, and nothing is sent', async () => {
    const before = (await mails()).length;
    const [known, unknown] = [await ask('bram@cut.example'), await ask('nobody@cut.example')];
    expect([unknown.status, unknown.json]).toEqual([known.status, known.json]);
    expect((await waitFor(before + 1)).length).toBe(before + 1);
  });

  test('a link is good for half an hour, and one that is used uses up the others', async () => {
    const before = (await mails()).length;
    await ask('bram@cut.example');
    await ask('bram@cut.example');
    const [second, first] = (await waitFor(before + 2)).map(({ text }) => tokenIn(text));
    await service.dataSource.query(
      `UPDATE password_resets SET expires_at = expires_at - interval '31 minutes' WHERE used_at IS NULL`,
    );
    expect(await redeem(second!)).toBe(410);
    await service.dataSource.query(
      `UPDATE password_resets SET expires_at = expires_at + interval '31 minutes' WHERE used_at IS NULL`,
    );
    const both = await Promise.all([redeem(first!, 'first of the two'), redeem(second!, 'second of the two')]);
    expect(both.sort()).toEqual([204, 410]);
    // Three an hour are enough: a fourth is not sent.
    const sent = (await mails()).length;
    const toBram = (all: { to: string }[]) => all.filter(({ to }) => to === 'bram@cut.example').length;
    const before4 = toBram(await mails());
    await ask('bram@cut.example');
    // Once a later one has arrived, an earlier one would have.
    await ask('odile@cut.example');
    expect(toBram(await waitFor(sent + 1))).toBe(before4);
  });

  test('without a mail server it is said so, whoever asks', async () => {
    const plain = await startTestService();
    for (const email of ['odile@cut.example', 'nobody@cut.example'])
      expect((await plain.call('POST', '/v1/password-resets', { body: { email } })).status).toBe(503);
    expect((await plain.call('GET', '/v1/operator/mailbox', { as: plain.operatorKey })).status).toBe(404);
    await plain.stop();
  });

  test('only the operator reads the mailbox', async () => {
    const { json } = await signIn('odile', 'a new one for me');
    expect((await service.call('GET', '/v1/operator/mailbox', { as: json.accessToken })).status).toBe(403);
    expect((await service.call('GET', '/v1/operator/mailbox')).status).toBe(401);
  });
});
