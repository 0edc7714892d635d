export { type Amount, FLOW_SOURCES, type Flow, type FlowSource, flowSource } from './flow.js';
