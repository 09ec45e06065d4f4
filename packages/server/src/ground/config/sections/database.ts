import { Type } from 'typebox';
import { closed } from './closed.js';

/** The database, and those that repeat it. */
export const Database = Type.Object(
  {
    url: Type.Optional(
      Type.String({
        pattern: '^postgres(ql)?://',
        description:
          'A PostgreSQL server of yours; of a primary and its standbys all, as host:port,host:port. Without it an embedded cluster is used.',
      }),
    ),
    pooler: Type.Optional(
      Type.String({
        pattern: '^postgres(ql)?://',
        description:
          'A pooler in front of the server that hands out connections by transactions: calls go through it, and what needs a connection of its own past it.',
      }),
    ),
    standbys: Type.Array(Type.String({ pattern: '^postgres(ql)?://' }), {
      default: [],
      description:
        'Servers that replay the log of yours, each by its address: pages of feeds and lists are read there for callers who say what they have seen (`Gather-Seen`).',
    }),
    standbyLagSeconds: Type.Integer({
      default: 10,
      minimum: 1,
      maximum: 3600,
      description: 'How old what a standby shows may be; beyond that pages are read from the primary.',
    }),
    keepLog: Type.Optional(
      Type.String({
        description:
          'Folder into which the embedded cluster copies its log within a minute, so that a back-up can be restored as things were at any later instant; best on another disk. It only grows: what is older than the oldest back-up can be deleted.',
      }),
    ),
    migrate: Type.Boolean({
      default: false,
      description: 'Run pending migrations at start. Otherwise the service says that there are some and waits.',
    }),
    preparedStatements: Type.Boolean({
      default: true,
      description: 'Prepare the statements that matter by name; not needed with `pooler`.',
    }),
    poolSize: Type.Integer({
      default: 12,
      minimum: 2,
      maximum: 200,
      description: 'Most connections at once, and as many again for prepared statements.',
    }),
    statementSeconds: Type.Integer({
      default: 15,
      minimum: 0,
      maximum: 3600,
      description:
        'How long a statement of a call may take; 0 for no limit. Migrations, fills, rebuilds and jobs have none.',
    }),
    lockSeconds: Type.Integer({
      default: 5,
      minimum: 0,
      maximum: 3600,
      description: 'How long a statement of a call may wait for a lock; 0 for no limit.',
    }),
    idleTransactionSeconds: Type.Integer({
      default: 30,
      minimum: 0,
      maximum: 3600,
      description: 'How long a transaction of a call may stand open without a statement; 0 for no limit.',
    }),
  },
  closed,
);
