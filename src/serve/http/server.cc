#include "serve/http/server.h"

#include "serve/http/connection.h"

namespace vantro::serve::http {

TcpProtocol protocol(const Patience& patience) {
  TcpProtocol http;
  http.name = "http";
  http.name_with_tls = "https";
  http.no_room =
      "HTTP/1.1 503 Service Unavailable\r\nServer: vantrod\r\nRetry-After: 10\r\n"
      "Content-Type: text/plain; charset=utf-8\r\nContent-Length: 54\r\n"
      "Connection: close\r\n\r\n"
      "there are too many connections at once; try again soon";
  http.welcome = [patience](TcpLane& lane, base::UniqueFd socket,
                            std::unique_ptr<crypto::TlsChannel> tls, gate::Asker asker,
                            const base::Endpoint&) -> std::shared_ptr<Conversation> {
    return std::make_shared<Connection>(lane, patience, std::move(socket), std::move(tls),
                                        std::move(asker));
  };
  return http;
}

}  // namespace vantro::serve::http
