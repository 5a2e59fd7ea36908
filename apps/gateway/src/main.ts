import { GatewayNode } from './gateway-node.js';
import { readOptions } from './read-options.js';

function optionsOrEnd(): ReturnType<typeof readOptions> {
  try {
    return readOptions(process.env);
  } catch (error) {
    console.error(`gateway: ${(error as Error).message}`);
    process.exit(2);
  }
}

const node = new GatewayNode({ ...optionsOrEnd(), log: (text) => console.log(`${new Date().toISOString()} gateway: ${text}`) });

let stopping = false;
const stop = (): void => {
  if (stopping) return;
  stopping = true;
  void node.stop().finally(() => process.exit(0));
};
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
// A request or two may fail, the node does not: refusals are decided per request.
process.on('uncaughtException', (error) => console.error(`${new Date().toISOString()} gateway: uncaught ${error.stack ?? error.message}`));
process.on('unhandledRejection', (error) => console.error(`${new Date().toISOString()} gateway: unhandled ${String(error)}`));

try {
  const url = await node.start();
  console.log(`${new Date().toISOString()} gateway: listening at ${url}`);
} catch (error) {
  console.error(`gateway: cannot listen: ${(error as Error).message}`);
  process.exit(1);
}
