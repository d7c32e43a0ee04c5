import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';

/** Addresses that are ours or nobody's: the machine itself, private and reserved ranges. */
const OWN = new BlockList();
for (const [network, bits] of [
  ['0.0.0.0', 8], ['10.0.0.0', 8], ['100.64.0.0', 10], ['127.0.0.0', 8], ['169.254.0.0', 16], ['172.16.0.0', 12], ['192.0.0.0', 24], ['192.168.0.0', 16],
  ['198.18.0.0', 15], ['224.0.0.0', 4], ['240.0.0.0', 4],
] as const) OWN.addSubnet(network, bits, 'ipv4'); // prettier-ignore
for (const [network, bits] of [['::', 127], ['fc00::', 7], ['fe80::', 10], ['ff00::', 8], ['::ffff:0:0', 96], ['64:ff9b::', 96]] as const)
  OWN.addSubnet(network, bits, 'ipv6'); // prettier-ignore

/**
 * Whether an address stands inside the network that Nudrik stands in, which nobody may look into by it.
 * @param allowed hosts that are meant, as the settings of the process list them
 * @returns the address inside, or null
 */
export async function findOwnHost(url: URL, allowed: readonly string[]): Promise<string | null> {
  const host = url.hostname.replace(/^\[|\]$/g, '').toLowerCase();
  if (allowed.includes(host) || allowed.includes(url.host.toLowerCase())) return null;
  const found = isIP(host) ? [{ address: host, family: isIP(host) }] : await lookup(host, { all: true }).catch(() => []);
  return found.find(({ address, family }) => OWN.check(address, family === 6 ? 'ipv6' : 'ipv4'))?.address ?? null;
}
