#include "serve/http/server.h"

#include "serve/http/visitor.h"

namespace vantro::serve::http {

net::TcpProtocol protocol(const Services& services, const net::http::Patience& patience) {
  auto http = device_protocol(services.gate, "http");
  http.name_with_tls = "https";
  http.no_room =
      "HTTP/1.1 503 Service Unavailable\r\nServer: vantrod\r\nRetry-After: 10\r\n"
      "Content-Type: text/plain; charset=utf-8\r\nContent-Length: 44\r\n"
      "Connection: close\r\n\r\n"
      "too many connections at once; try again soon";
  http.welcome = [shared = std::make_shared<Shared>(services), patience](
                     net::TcpLane& lane, net::Accepted accepted) {
    auto asker = asker_of(accepted);
    auto connection =
        std::make_shared<net::http::Connection>(lane, patience, std::move(accepted));
    connection->handle_with(
        std::make_unique<Visitor>(*connection, shared, std::move(asker)));
    return connection;
  };
  return http;
}

}  // namespace vantro::serve::http
