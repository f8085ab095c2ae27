import { lookup } from 'node:dns/promises';
import { BlockList, isIP } from 'node:net';

/** Addresses that only this machine or its network can reach (RFC 6890: loopback, private, link-local, shared, unspecified). */
const privateAddresses = new BlockList();
for (const [network, prefix] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.168.0.0', 16],
] as const)
  privateAddresses.addSubnet(network, prefix, 'ipv4');
for (const [network, prefix] of [
  ['::', 127],
  ['fc00::', 7],
  ['fe80::', 10],
] as const)
  privateAddresses.addSubnet(network, prefix, 'ipv6');

/** Whether an IP address is private; an IPv4 address in an IPv6 one counts as itself. */
export function isPrivateAddress(address: string): boolean {
  const mapped = /^::ffff:(\d+\.\d+\.\d+\.\d+)$/i.exec(address)?.[1] ?? address;
  return privateAddresses.check(mapped, isIP(mapped) === 6 ? 'ipv6' : 'ipv4');
}

/** Whether any address of a host (as in a URL) is private. A host that is not known is not. */
export async function isPrivateHost(hostname: string): Promise<boolean> {
  const host = hostname.replace(/^\[(.*)\]$/, '$1');
  if (isIP(host) !== 0) return isPrivateAddress(host);
  try {
    return (await lookup(host, { all: true })).some(({ address }) => isPrivateAddress(address));
  } catch {
    return false;
  }
}
