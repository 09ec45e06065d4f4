import { Failure } from './failure.js';

/** A password from standard input, or asked for on a terminal; it is never an argument, which others could see. */
export async function askPassword(fromInput: boolean, prompt: string): Promise<string> {
  if (fromInput) {
    let text = '';
    for await (const chunk of process.stdin) text += String(chunk);
    return text.replace(/\r?\n$/, '');
  }
  if (!process.stdin.isTTY)
    throw new Failure('There is no terminal to ask for the password: pipe it in with --password-stdin.', 2);
  // Loaded where somebody is asked: most commands ask nothing.
  const { default: password } = await import('@inquirer/password');
  return password({ message: prompt, mask: '•' });
}
