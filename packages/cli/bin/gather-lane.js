#!/usr/bin/env node
'use strict';

// Scripts ask for the version alone, and often: that needs nothing of the rest, nor the loader of modules.
if (process.argv.length === 3 && /^(-V|--version)$/.test(process.argv[2])) {
  process.stdout.write(`${require('../package.json').version}\n`);
} else {
  // Node 22 and later keep what they compiled of the command, for its next start.
  require('node:module').enableCompileCache?.();
  void import('../bundle/main.js');
}
