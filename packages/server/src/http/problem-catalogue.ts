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
  'stale': kind(
    412,
    'It changed in the meantime',
    'The `If-Match` header names a version that is no longer the current one. Nothing was changed.',
    'Read it again, look at what changed, and send the edit with the new `ETag`.',
  ),
  'too-large': kind(413, 'The request is too large', 'The body is larger than the service takes.', 'Send less.'),
  'wrong-media-type': kind(
    415,
    'This media type is not understood',
    'The body is not of a type that the call takes.',
    'Send JSON with `Content-Type: application/json` (for PATCH also `application/merge-patch+json`).',
  ),
  'invalid': kind(
    422,
    'Something in it is not right',
    'The request was understood, but a value breaks a rule.',
    'Look at `errors`: each names a value by its pointer and says what would be right.',
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
    'This address has tried too often.',
    'Wait as long as `Retry-After` says.',
  ),
  'internal': kind(
    500,
    'Something went wrong on our side',
    'The service met an error that it did not foresee. Nothing was half done.',
    'Try again; if it stays, look for the request id in the service’s log.',
  ),
  'not-ready': kind(
    503,
    'The service is not ready',
    'The database is missing migrations, or columns that the model file names.',
    'Read `detail`: it says what to run.',
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
