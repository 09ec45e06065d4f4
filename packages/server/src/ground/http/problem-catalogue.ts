/** A kind of problem: its status, its title, and what its page tells the reader to do. */
export interface ProblemKind {
  readonly status: number;
  readonly title: string;
  readonly whatHappened: string;
  readonly whatToDo: string;
}

const kind = (status: number, title: string, whatHappened: string, whatToDo: string): ProblemKind => ({
  status,
  title,
  whatHappened,
  whatToDo,
});

/** Every problem that the service can answer, in one place. The key is the last part of its `type`. */
export const PROBLEMS = {
  'malformed': kind(
    400,
    'The request is malformed',
    'The path, the query or the JSON of the body could not be read.',
    'Look at `errors`: each names a part by its pointer. Send well-formed JSON and the parameters that the API document lists.',
  ),
  'bad-cursor': kind(
    400,
    'The cursor is not one of ours',
    'A cursor was shortened, changed, or made for another list, order or choice.',
    'Pass `next` exactly as it came, to the same list with the same order; or leave the cursor out to begin again.',
  ),
  'two-credentials': kind(
    400,
    'The request carries two credentials',
    'A request has exactly one caller, but this one had both a bearer token and an operator cookie.',
    'Send one of them.',
  ),
  'wrong-host': kind(
    400,
    'The Host header is not a name of this service',
    'The service answers only to the names that it is configured with, so that a page elsewhere cannot reach it through a name of its own.',
    'Call it by a configured name, or add the name to `server.hosts`.',
  ),
  'not-signed-in': kind(
    401,
    'Sign in first',
    'The call needs a signed-in caller, and the request carried no token.',
    'Sign in with `POST /v1/sessions` and send the access token as `Authorization: Bearer …`.',
  ),
  'bad-token': kind(
    401,
    'The token is not good',
    'The token is malformed, expired, or its session has ended.',
    'Refresh it with `POST /v1/sessions/refresh`, or sign in again.',
  ),
  'ended-cookie': kind(
    401,
    'The session of this browser has ended',
    'The cookie that the browser sent belongs to a session that is over. The browser is told to forget it.',
    'Sign in again.',
  ),
  'bad-ticket': kind(
    401,
    'This sign-in cannot be ended',
    'It was not begun in this browser, was ended already, or took longer than ten minutes.',
    'Begin to sign in again.',
  ),
  'provider-refused': kind(
    401,
    'The provider did not confirm the sign-in',
    'What came back from the provider was refused: it said no, or a token was not of it, not for us, not of this sign-in, or out of date.',
    'Begin to sign in again; if it stays so, look at the configuration of the provider.',
  ),
  'account-gone': kind(
    403,
    'The account was deleted',
    'The identity belonged to an account that its owner deleted.',
    'Sign up anew, with a password or another identity.',
  ),
  'identity-taken': kind(
    409,
    'The identity belongs to an account already',
    'An identity of a provider belongs to one account at most.',
    'Sign in with it, or unlink it there first.',
  ),
  'only-way-in': kind(
    409,
    'It is the only way to sign in',
    'The account has no password and no other identity.',
    'Link another identity first.',
  ),
  'wrong-sign-in': kind(
    401,
    'Handle, e-mail or password is wrong',
    'No account matches what was sent. The answer does not tell which part is wrong.',
    'Check both and try again.',
  ),
  'hazards': kind(
    409,
    'Rows stand in the way',
    'The migration would fail on rows that are there, or lose what they hold, and nobody has said what to do about it. Nothing was done.',
    'Look at the hazards of each change (`gather-lane model changes`) and answer them.',
  ),
  'model-file': kind(
    422,
    'The model file is wrong',
    'The section `model` of the configuration cannot be used as it stands now.',
    'Correct the line that is named. The running service goes on with the model that it started with.',
  ),
  'not-yours': kind(
    403,
    'This is not yours',
    'The thing is there, but only its owner may do this.',
    'Act as its owner. The `can` block of each post and comment says beforehand what you may do.',
  ),
  'moderators-only': kind(
    403,
    'Only a moderator may do this',
    'The call is for users whom the operator has made moderators.',
    'Ask the operator: `gather-lane moderators add @handle`.',
  ),
  'outside-token': kind(
    409,
    'The token is of an outside issuer',
    'A bearer token of a configured outside issuer opens no session here, so there is none to end.',
    'Sign out where the token comes from.',
  ),
  'not-restorable': kind(
    409,
    'This cannot be restored',
    'What was removed comes back only through who removed it, and what was deleted only within 30 days.',
    'Read `detail`: it says which of these it is.',
  ),
  'blocked': kind(
    409,
    'A block stands between you',
    'One of the two blocks the other, so neither can follow the other.',
    'Lift your own block first: `DELETE /v1/blocks/{user}`.',
  ),
  'wrong-principal': kind(
    403,
    'This route is not for this kind of caller',
    'Routes of users never accept the operator, and routes of the operator never accept a user.',
    'Use a user’s token under /v1, and the operator key under /v1/operator.',
  ),
  'wrong-origin': kind(
    403,
    'The call comes from another origin',
    'A call that changes something and is authorised by a cookie must come from the console’s own origin.',
    'Call it from the console, or send the operator key as a bearer token.',
  ),
  'acting-off': kind(
    403,
    'Acting as a user is off',
    'Outside the demo the operator may not act as a user unless that is configured.',
    'Sign in as the user instead.',
  ),
  'not-found': kind(
    404,
    'Nothing is there',
    'There is no such thing, or it is not visible to the caller.',
    'Check the id or the handle.',
  ),
  'taken': kind(
    409,
    'Already taken',
    'Another account has this handle or e-mail.',
    'Look at `errors` for which, and choose another.',
  ),
  'scroll-expired': kind(
    410,
    'This scroll has ended',
    'The cursor belongs to a scroll that began more than a day ago, or under a weighting that is gone.',
    'Begin again without a cursor.',
  ),
  'bad-link': kind(
    410,
    'The link is not good any more',
    'A link of a mail works once and for 30 minutes.',
    'Ask for another.',
  ),
  'stale': kind(
    412,
    'It changed in the meantime',
    'The `If-Match` header names a version that is no longer the current one. Nothing was changed.',
    'Read it again, look at what changed, and send the edit with the new `ETag`.',
  ),
  'bad-range': kind(
    416,
    'There is no such range',
    'The `Range` header asks for a part beyond the end of the file.',
    'Ask within the length that `Content-Range` says, or for the whole file.',
  ),
  'headers-too-large': kind(
    431,
    'The headers are too large',
    'The head of the request is larger than the service takes.',
    'Send fewer headers, or shorter ones; look at cookies first.',
  ),
  'too-slow-request': kind(
    408,
    'The request did not arrive in time',
    'The head or the body of the request took longer than the service waits.',
    'Send it whole, and at once.',
  ),
  'too-large': kind(413, 'The request is too large', 'The body is larger than the service takes.', 'Send less.'),
  'wrong-media-type': kind(
    415,
    'This media type is not understood',
    'The body is not of a type that the call takes.',
    'Send JSON with `Content-Type: application/json` (for PATCH also `application/merge-patch+json`).',
  ),
  'not-traced': kind(
    409,
    'Calls are not traced',
    'This service writes down nothing of what calls do. Only a demo does so unless it is told to.',
    'Set `traces.on: true` in the configuration, or `GATHER_LANE_TRACES_ON=true`, and start the service again.',
  ),
  'under-way': kind(
    409,
    'It is under way already',
    'Only one of these runs at a time.',
    'Wait for it to end, and look at what it found.',
  ),
  'in-use': kind(
    409,
    'Something still shows it',
    'A picture that a post or a profile shows is not removed under it.',
    'Take it out of the post or the profile first.',
  ),
  'bad-picture': kind(
    422,
    'The file is no picture that can be taken',
    'Pictures are JPEG, PNG or WebP files, whole, of up to 40 megapixels, and nothing else besides.',
    'Read `detail`: it says what is wrong with the file.',
  ),
  'other-content': kind(
    422,
    'The Idempotency-Key belongs to another call',
    'The key was sent within the last 24 hours with other content. Nothing was done.',
    'Send each new call with a key of its own, and the same key only to repeat a call unchanged.',
  ),
  'invalid': kind(
    422,
    'Something in it is not right',
    'The request was understood, but a value breaks a rule.',
    'Look at `errors`: each names a value by its pointer and says what would be right.',
  ),
  'claim-missing': kind(
    422,
    'The token does not say what an account needs',
    'Whoever comes with a token or through a provider for the first time gets an account. It needs a field for which the token has no claim.',
    'Map a claim to the field (`claims.fields` of the issuer or provider), or give the mapping a default. `detail` names both.',
  ),
  'self-follow': kind(
    422,
    'Nobody follows themselves',
    'The follower and the followee are the same user. Own posts are in one’s feed anyway.',
    'Name another user.',
  ),
  'too-many-follows': kind(
    422,
    'You follow as many as you may',
    'The caller follows as many users as the service allows.',
    'Unfollow somebody first.',
  ),
  'too-often': kind(
    429,
    'Too many attempts',
    'This user or address has called too often.',
    'Wait as long as `Retry-After` says.',
  ),
  'too-many-streams': kind(
    429,
    'Too many streams are open',
    'This user, or this process of the service, has as many streams of events open as it may.',
    'Close one that is not looked at, or wait as long as `Retry-After` says.',
  ),
  'internal': kind(
    500,
    'Something went wrong on our side',
    'The service met an error that it did not foresee. Nothing was half done.',
    'Try again; if it stays, look for the request id in the service’s log.',
  ),
  'no-mail': kind(
    503,
    'No mail can be sent',
    'The call works by e-mail, and the service has no mail server.',
    'Configure one: `mail.smtp`. A demo has a mailbox of its own.',
  ),
  'provider-away': kind(
    503,
    'The provider does not answer',
    'The outside provider could not be reached, or what it says of itself cannot be used.',
    'Try again in a moment, or sign in another way.',
  ),
  'no-keys': kind(
    503,
    'The keys of the issuer are not to be had',
    'A token of a configured outside issuer could not be verified, because its public keys could not be read.',
    'Try again in a moment; the operator looks at `signIn.issuers`.',
  ),
  'not-ready': kind(
    503,
    'The service is not ready',
    'The database is missing migrations, or columns that the model file names.',
    'Read `detail`: it says what to run.',
  ),
  'stopping': kind(
    503,
    'The service is stopping',
    'It takes no new calls, and finishes those under way.',
    'Try again in a moment: another process, or this one once it is back, will answer.',
  ),
  'busy': kind(
    503,
    'Too much to do at once',
    'Checking passwords and preparing pictures takes the processor: some are done at a time, and so many wait in line that it makes no sense to join it. Nothing was done.',
    'Try again in a moment; `Retry-After` says when.',
  ),
  'too-slow': kind(
    503,
    'It took too long',
    'A statement took longer than the service lets one, or waited too long for a lock. Nothing was half done.',
    'Try again in a moment. If it lasts, look at what holds the database up; the limits are `database.statementSeconds` and `database.lockSeconds`.',
  ),
  'outcome-unknown': kind(
    503,
    'It may have been done, or not',
    'The connection to the database broke while a write was being confirmed.',
    'Send the same call again with the same `Idempotency-Key` where it has one: it is then done once. Else look whether it was done.',
  ),
  'no-space': kind(
    503,
    'There is no room left',
    'The disk of the database, or of the pictures, is full. Nothing was half done.',
    'The operator makes room; then try again.',
  ),
  'no-media-store': kind(
    503,
    'The store of pictures does not answer',
    'The bucket in which pictures are kept could not be reached, or refused what it was asked. Nothing was half done.',
    'Try again in a moment. If it lasts, the operator looks at `mediaBucket` and at who may use it; the log says what it answered.',
  ),
  'no-database': kind(
    503,
    'The database does not answer',
    'The service could not reach its database, or the connection broke. What was under way was not done.',
    'Try again in a moment. If it lasts, `gather-lane check setup` says what is wrong.',
  ),
} as const satisfies Record<string, ProblemKind>;

/** The code of a problem: the last part of its `type`. */
export type ProblemCode = keyof typeof PROBLEMS;
