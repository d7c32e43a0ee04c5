export * from './build.ts';
export * from './orlasund.ts';
export { COURSES } from './courses.ts';
export { startInstant } from './history.ts';
