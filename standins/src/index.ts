export * from './mailbox.ts';
export * from './post-room.ts';
export * from './personnel-feed.ts';
export * from './sign-in-service.ts';
export * from './chat-service.ts';
