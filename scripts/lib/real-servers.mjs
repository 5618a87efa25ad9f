import { existsSync } from "node:fs";

/** Servers of somebody else's that tests start on loopback: Debian's package, and a program of it. */
const servers = [
  { name: "Apache", package: "apache2", programs: ["/usr/sbin/apache2"] },
  { name: "Apache's htpasswd", package: "apache2-utils", programs: ["/usr/bin/htpasswd"] },
  { name: "Radicale", package: "radicale", programs: ["/usr/bin/radicale"] },
  {
    name: "RabbitMQ",
    package: "rabbitmq-server",
    programs: ["/usr/lib/rabbitmq/bin/rabbitmq-server"],
  },
  { name: "Postfix", package: "postfix", programs: ["/usr/sbin/postfix"] },
  { name: "tinyproxy", package: "tinyproxy", programs: ["/usr/bin/tinyproxy", "/usr/sbin/tinyproxy"] },
];

/** Those that are not on this machine. */
export function missingServers() {
  return servers.filter(({ programs }) => !programs.some((path) => existsSync(path)));
}
