import pg from 'pg';
import { serversOf, type DatabaseAddress } from './address.js';
import { writableClient } from './several-hosts.js';

/** The class of connections to an address: where it names several servers, to the one that takes writes. */
export const clientFor = (address: DatabaseAddress): typeof pg.Client =>
  address.others ? writableClient(serversOf(address)) : pg.Client;
