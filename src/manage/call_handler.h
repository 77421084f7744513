// The calls of one connection: found in the table, allowed, carried out on a pool.
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

// Shared by all connections. Constant after construction.
struct CallDesk {
  CallDesk(const net::Services& services, const Pools& pools, Service& what);

  net::WorkPool& disk;
  const Pools pools;
  base::Log log;
  Service& service;
  const std::vector<Route> routes;
  const std::shared_ptr<EventFeed> events;
};

class CallHandler final : public net::http::Handler {
 public:
  // `connection` owns it.
  CallHandler(net::http::Connection& connection, std::shared_ptr<const CallDesk> desk,
              Way way, std::optional<unsigned> local_user)
      : connection_(connection),
        desk_(std::move(desk)),
        way_(way),
        local_user_(local_user) {}
  ~CallHandler() override;

  void request(const net::http::Head& head) override;
  net::http::Answer problem(int status, const std::string& why) override;
  void stray(const std::string& why) override;
  void streaming(base::Instant now) override;
  void closed() override;

 private:
  using Work = std::function<net::http::Answer()>;

  // Carries it out there, and sends its answer.
  void answer_from(net::WorkPool& pool, Work work);
  // By a known caller, or without a name for an operation for anyone.
  void call(const net::http::Head& head, Matched matched, const desk::Caller& caller);
  // Records the visit, for the list of people.
  void note(const desk::Caller& caller);
  // After the body, if the operation has one.
  void with_body(const Route& route, const net::http::Head& head,
                 std::function<void(std::string)> then);
  void answer_text(const Route& route, const TextWork& work, const net::http::Head& head,
                   const Call& call);
  void take_image(const net::http::Head& head, const Call& call);
  void begin_stream(const desk::Caller& caller);

  net::http::Connection& connection_;
  const std::shared_ptr<const CallDesk> desk_;
  const Way way_;
  const std::optional<unsigned> local_user_;  // at the other end of the local socket
  std::optional<EventFeed::Id> reads_;
  // The reader's; 0: none, or known by their login here.
  std::int64_t token_ = 0;
  base::Instant looked_at_{};
};

}  // namespace vantro::manage
