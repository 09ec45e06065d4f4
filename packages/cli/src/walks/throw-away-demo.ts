import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { remark } from '../output.js';
import { server } from '../settings.js';

/** A demo that is there for one command. */
export interface ThrowAwayDemo {
  readonly address: string;
  readonly operatorKey: string;
  stop(): Promise<void>;
}

/** Starts a demo of its own, in a folder that goes away with it. What runs here already is not touched. */
export async function throwAwayDemo(): Promise<ThrowAwayDemo> {
  const { loadConfig, startService } = await server();
  const folder = mkdtempSync(join(tmpdir(), 'gather-lane-walk-'));
  // Its people join faster than strangers may.
  const environment = {
    GATHER_LANE_SERVER_PORT: '0',
    GATHER_LANE_DATA: join(folder, 'data'),
    GATHER_LANE_RATES_SIGN_UPS_PER_MINUTE: '100000',
    GATHER_LANE_RATES_SIGN_INS_PER_MINUTE: '100000',
    GATHER_LANE_RATES_CALLS_PER_MINUTE: '1000000',
    GATHER_LANE_LOG_LEVEL: 'error',
  };
  remark('Starting a demo of its own for the walks: this takes some seconds.');
  const { config } = loadConfig({ folder, environment });
  const gone = () => rmSync(folder, { recursive: true, force: true });
  try {
    const service = await startService({
      config,
      environment,
      folder,
      demo: true,
      fresh: false,
      notice: () => undefined,
    });
    const stop = async () => {
      await service.stop();
      gone();
    };
    return { address: service.address, operatorKey: readFileSync(service.operatorKeyPath, 'utf8').trim(), stop };
  } catch (error) {
    gone();
    throw error;
  }
}
