// The calls of one connection: found in the table, allowed, worked off on a pool.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "base/address.h"
#include "manage/event_feed.h"
#include "manage/routes.h"
#include "manage/server.h"
#include "manage/service.h"
#include "net/http/connection.h"

namespace vantro::manage {

// What the connections have in common. Constant after construction.
struct CallDesk {
  CallDesk(const net::Services& services, net::WorkPool& slow_pool, Service& what,
           Access tokens);

  net::WorkPool& disk;
  net::WorkPool& slow;
  base::Log log;
  Service& service;
  const Access access;
  const std::vector<Route> routes;
  const std::shared_ptr<EventFeed> events;
};

class CallHandler final : public net::http::Handler {
 public:
  // `connection` owns it.
  CallHandler(net::http::Connection& connection, std::shared_ptr<const CallDesk> desk,
              const base::Address& peer)
      : connection_(connection), desk_(std::move(desk)), peer_(peer) {}
  ~CallHandler() override;

  void request(const net::http::Head& head) override;
  net::http::Answer problem(int status, const std::string& why) override;
  void stray(const std::string& why) override;
  void streaming(base::Instant now) override;
  void closed() override;

 private:
  using Work = std::function<net::http::Answer()>;

  // Works it off there, and answers with what it gives.
  void answer_from(net::WorkPool& pool, Work work);
  void answer_text(const Route& route, const TextWork& work, const net::http::Head& head,
                   const Call& call);
  void take_image(const net::http::Head& head, const Call& call);
  void begin_stream();

  net::http::Connection& connection_;
  const std::shared_ptr<const CallDesk> desk_;
  const base::Address peer_;
  std::optional<EventFeed::Id> reads_;
};

}  // namespace vantro::manage
