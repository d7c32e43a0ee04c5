import type { Channel, Handover } from './channel.ts';

/** How long a server that took nothing is not asked first. */
const REST_MS = 120_000;

/**
 * Several mail servers as one channel: a letter goes by the first, and by the next one where that does not answer or does not take
 * us. One that may have taken it is the last that is asked, so that nothing goes twice.
 * @param servers in the order in which they are asked
 */
export function withSpare(servers: readonly Channel[], now: () => number = () => performance.now()): Channel {
  const restsUntil = new Map<Channel, number>();
  const isAwake = (server: Channel): boolean => (restsUntil.get(server) ?? 0) <= now();
  const [first] = servers;
  return {
    name: first!.name,
    width: first!.width,
    async send(letter) {
      let last: Handover | null = null;
      // all of them rest: then they are asked all the same
      for (const server of [...servers.filter(isAwake), ...servers.filter((one) => !isAwake(one))]) {
        last = await server.send(letter);
        if (last.outcome !== 'later' || last.scope !== 'channel') {
          restsUntil.delete(server);
          return last;
        }
        restsUntil.set(server, now() + REST_MS);
      }
      return last!;
    },
    close: () => servers.forEach((server) => server.close()),
  };
}
