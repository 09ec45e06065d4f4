import { readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { rolldown } from 'rolldown';
import { root } from './steps.mjs';

/**
 * What is asked for at run time by whoever happens to be there (drivers of other databases), has parts in machine code or
 * files beside its own, or is loaded by few.
 */
const APART =
  /^(@gather-lane\/server|@gather-lane\/stand-ins|@node-rs\/argon2|@fastify\/swagger-ui|@aws-sdk\/|@sap\/|@google-cloud\/|better-sqlite3|expo-|hdb-pool|ioredis|mongodb|mssql|mysql|nodemailer|oracledb|pg-native|react-native|redis|sharp|sql\.js|sqlite3|ts-node|typeorm-aurora)/;

/**
 * Writes a package's entry and what it imports, of ours and of others, as few files: a command that would open a thousand
 * files opens a dozen, and starts in half the time. Licences of what is in it stand beside it.
 */
async function bundle(folder, entry) {
  const output = join(root, folder, 'bundle');
  rmSync(output, { recursive: true, force: true });
  const build = await rolldown({
    input: join(root, folder, 'dist', entry),
    platform: 'node',
    external: (id) => APART.test(id),
    logLevel: 'warn',
  });
  // Not made smaller: where each module begins is marked by a comment, by which a trace says whose a statement is.
  // TypeORM knows entities and migrations by the names of their classes.
  const { output: chunks } = await build.write({ dir: output, keepNames: true, minify: false });
  await build.close();
  writeFileSync(join(output, 'LICENSES.txt'), licences(chunks.flatMap(({ moduleIds = [] }) => moduleIds)));
}

function licences(files) {
  const folders = files.map((file) => /^.*\/node_modules\/(?:@[^/]+\/)?[^/]+/.exec(file)?.[0]).filter(Boolean);
  const packages = [...new Set(folders)].sort();
  return packages
    .map((folder) => {
      const { name, version, license } = JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8'));
      const file = readdirSync(folder).find((entry) => /^licen[cs]e/i.test(entry));
      return `${name} ${version} (${license})\n\n${file ? readFileSync(join(folder, file), 'utf8').trim() : ''}\n`;
    })
    .join(`\n${'-'.repeat(80)}\n\n`);
}

await bundle(process.argv[2], process.argv[3]);
