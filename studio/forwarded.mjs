import http from 'node:http';
import process from 'node:process';
import proxyAddr from 'proxy-addr';

/**
 * Loaded before the studio (`node --import`): X-Forwarded-For says the address of the connection, or, where that is a proxy named in HINGE_TRUSTED_PROXIES
 * (addresses, networks, "loopback", by commas), what it says of its caller. What callers write there themselves would be a way round the limit of sign-ins.
 */
const names = (process.env.HINGE_TRUSTED_PROXIES ?? '')
  .split(',')
  .map((s) => s.trim())
  .filter(Boolean);
const trusted = names.length ? proxyAddr.compile(names) : () => false;

const { emit } = http.Server.prototype;
http.Server.prototype.emit = function (event, ...args) {
  if (event === 'request' || event === 'upgrade') {
    const [request] = args;
    request.headers['x-forwarded-for'] = proxyAddr(request, trusted) ?? '';
  }
  return emit.call(this, event, ...args);
};
