#include "manage/server.h"

#include <fmt/format.h>
#include <memory>

#include "manage/answers.h"
#include "manage/call_handler.h"
#include "net/http/connection.h"

namespace vantro::manage {
namespace {

constexpr net::http::Patience kPatience{
    std::chrono::seconds(30), std::chrono::seconds(30), std::chrono::seconds(30)};

std::string no_room() {
  const auto body =
      refusal({base::Kind::kBusy, "too many connections at once"}).body.front();
  return fmt::format(
      "HTTP/1.1 503 Service Unavailable\r\nServer: vantrod\r\nContent-Type: {}\r\n"
      "Content-Length: {}\r\nConnection: close\r\n\r\n{}",
      api::kProblemType, body.text.size(), body.text);
}

}  // namespace

net::TcpProtocol protocol(const net::Services& services, const Pools& pools,
                          Service& service) {
  const auto desk = std::make_shared<CallDesk>(services, pools, service);
  net::TcpProtocol management;
  management.name = "management";
  management.name_with_tls = "management-tls";
  management.no_room = no_room();
  management.welcome = [desk](net::TcpLane& lane, net::Accepted accepted) {
    const Way way{accepted.peer.address, accepted.local.address, accepted.tls != nullptr,
                  accepted.local_user.has_value()};
    const auto user = accepted.local_user;
    auto connection =
        std::make_shared<net::http::Connection>(lane, kPatience, std::move(accepted));
    connection->handle_with(std::make_unique<CallHandler>(*connection, desk, way, user));
    return connection;
  };
  return management;
}

}  // namespace vantro::manage
