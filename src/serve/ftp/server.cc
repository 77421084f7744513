#include "serve/ftp/server.h"

#include "serve/ftp/connection.h"

namespace vantro::serve::ftp {

TcpProtocol protocol(Config config) {
  TcpProtocol ftp;
  ftp.name = "ftp";
  ftp.name_with_tls = "ftps";
  if (config.understands_tls) ftp.also = {"ftps"};
  ftp.no_room = "421 There are too many connections at once; try again soon\r\n";
  const auto shared = std::make_shared<const Config>(std::move(config));
  ftp.welcome = [shared](TcpLane& lane, base::UniqueFd socket,
                         std::unique_ptr<crypto::TlsChannel>, gate::Asker asker,
                         const base::Endpoint& local) -> std::shared_ptr<Conversation> {
    return std::make_shared<Connection>(lane, shared, std::move(socket), std::move(asker),
                                        local);
  };
  return ftp;
}

}  // namespace vantro::serve::ftp
