/**
 * A fetch for commands, which make a call or two and end. Node's own costs more to start than the rest of a command: it compiles a parser
 * of its own, where that of `node:http` is there already.
 * @throws whatever the signal of the request was aborted with; another error where nothing answered
 */
export async function callOnce(request: Request): Promise<Response> {
  const { default: fetch } = await import('node-fetch');
  const { method, url, signal } = request;
  const body = request.body === null ? null : Buffer.from(await request.arrayBuffer());
  try {
    const reply = await fetch(url, { method, headers: Object.fromEntries(request.headers), body, signal });
    const { status, statusText, headers } = reply;
    const told = status === 204 || status === 304 ? null : await reply.arrayBuffer();
    return new Response(told, { status, statusText, headers: Object.fromEntries(headers) });
  } catch (error) {
    throw signal.aborted ? signal.reason : error;
  }
}
