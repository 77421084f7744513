#include "serve/ftp/server.h"

#include "serve/ftp/connection.h"

namespace vantro::serve::ftp {

net::TcpProtocol protocol(const Services& services, Config config) {
  auto ftp = device_protocol(services.gate, "ftp");
  ftp.name_with_tls = "ftps";
  if (config.understands_tls) ftp.also = {"ftps"};
  ftp.no_room = "421 Too many connections at once; try again soon\r\n";
  ftp.welcome = [shared = std::make_shared<Shared>(services),
                 settings = std::make_shared<const Config>(std::move(config))](
                    net::TcpLane& lane, net::Accepted accepted) {
    return std::make_shared<Connection>(lane, *shared, settings, std::move(accepted));
  };
  return ftp;
}

}  // namespace vantro::serve::ftp
