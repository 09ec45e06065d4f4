/** Which claims of a token a user is made from; the names of OpenID Connect Core 5.1 unless configured. */
export interface ClaimNames {
  readonly name?: string;
  readonly handle?: string;
  readonly picture?: string;
}

/** What a user is made from. */
export interface OutsideProfile {
  readonly name: string | null;
  readonly handle: string | null;
  readonly picture: string | null;
}

/** Reads a profile out of verified claims. An e-mail is not looked at: it never says whose an account is. */
export function profileOf(claims: Readonly<Record<string, unknown>>, names: ClaimNames = {}): OutsideProfile {
  const text = (name: string): string | null => {
    const value = claims[name];
    return typeof value === 'string' && value.trim() !== '' ? value.trim() : null;
  };
  const picture = text(names.picture ?? 'picture');
  const isAddress = picture !== null && /^https?:\/\//.test(picture) && URL.canParse(picture) && picture.length <= 2000;
  return {
    name: text(names.name ?? 'name'),
    handle: text(names.handle ?? 'preferred_username'),
    picture: isAddress ? picture : null,
  };
}
