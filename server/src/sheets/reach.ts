import { BlockList, isIP, isIPv6 } from 'node:net';

/** What outside of it the server may ask for rows. */
export interface Reach {
  /** Whether it is any address: where only this machine can reach the server, who asks could ask by herself. */
  readonly everything: boolean;
  /** Hosts, or hosts with a port, that may be asked wherever they are. */
  readonly hosts: readonly string[];
}

/**
 * Networks that are not the open net, by the registries of special-purpose addresses of RFC 6890 (IANA): a server
 * that asked in them could be sent to what stands beside it, and is open to nobody else.
 */
const CLOSED = new BlockList();
for (const [network, prefix] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.0.0.0', 24],
  ['192.0.2.0', 24],
  ['192.168.0.0', 16],
  ['198.18.0.0', 15],
  ['198.51.100.0', 24],
  ['203.0.113.0', 24],
  ['224.0.0.0', 4],
  ['240.0.0.0', 4],
] as const)
  CLOSED.addSubnet(network, prefix, 'ipv4');
for (const [network, prefix] of [
  ['::', 128],
  ['::1', 128],
  ['64:ff9b::', 96],
  ['64:ff9b:1::', 48],
  ['100::', 64],
  ['2001::', 23],
  ['2001:db8::', 32],
  ['2002::', 16],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  CLOSED.addSubnet(network, prefix, 'ipv6');

/** Whether a numeric address belongs to the open net. */
export const isOpen = (address: string): boolean =>
  isIP(address) !== 0 && !CLOSED.check(address, isIPv6(address) ? 'ipv6' : 'ipv4');

/** The name of a URL's host as it is looked up: without the brackets of a numeric address. */
export const hostOf = ({ hostname }: URL): string => hostname.replace(/^\[|\]$/g, '');

/** Whether whoever looks after the server has allowed to ask this host, wherever it is. */
export const isAllowed = ({ everything, hosts }: Reach, url: URL): boolean =>
  everything || hosts.includes(url.host) || hosts.includes(url.hostname);
