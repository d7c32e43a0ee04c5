export * from './post-room.ts';
