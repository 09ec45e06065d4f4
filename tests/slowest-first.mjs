import Sequencer from '@jest/test-sequencer';

/**
 * The order of suites: those that start commands and browsers first, the larger ones before the smaller; then the
 * others. A long suite that begins last would leave the other processors idle.
 */
export default class SlowestFirst extends Sequencer {
  sort(tests) {
    const startsCommands = ({ path, context }) => path.startsWith(`${context.config.rootDir}/tests/`);
    const slow = super.sort(tests.filter(startsCommands));
    return [...slow, ...super.sort(tests.filter((test) => !startsCommands(test)))];
  }
}
