export { Mailbox, type KeptMessage } from './mailbox.js';
export { StandInProvider } from './provider.js';
