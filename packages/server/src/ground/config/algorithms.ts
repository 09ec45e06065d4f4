/** Signatures by a key pair only: a shared secret could be mistaken for one of ours. */
export const OUTSIDE_ALGORITHMS = [
  'RS256',
  'RS384',
  'RS512',
  'PS256',
  'PS384',
  'PS512',
  'ES256',
  'ES384',
  'ES512',
  'EdDSA',
];
