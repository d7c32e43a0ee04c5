/** How a sign-off came out, as people say it. */
export const SIGNED_WORDS = { met: 'met', 'not-met': 'not met', absent: 'did not attend' } as const;
