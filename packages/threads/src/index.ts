export { giveWay } from './give-way.js';
export { threadTime } from './thread-time.js';
