export * from './post-room.ts';
export * from './personnel-feed.ts';
