// One I/O thread of the TFTP server, with its listeners and its transfers.
//
// A request arrives on a listener; its transfer gets a socket of its own, bound to the
// address that was asked, so that the answers leave from there (or all answers leave from
// the listener, if that is configured). The same request again from the same peer and
// port is the same transfer, or one that gets its chance beside it; another request from
// there replaces it (wire/tftp/repeated_request.h).
//
// Everything runs on the lane's thread, unless it says otherwise.
#pragma once

#include <atomic>
#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "net/event_loop.h"
#include "serve/tftp/exchange.h"
#include "serve/tftp/shared.h"
#include "wire/tftp/packet.h"

namespace vantro::serve::tftp {

class Lane {
 public:
  explicit Lane(Shared& shared);
  ~Lane();
  Lane(const Lane&) = delete;
  Lane& operator=(const Lane&) = delete;

  // Before run(), or on the lane's thread: 0 or an errno. The first lane's socket fails
  // if another program listens there; the other lanes then share it, at `really`.
  int listen_first(const base::Endpoint& where);
  int listen_too(const base::Endpoint& where, const base::Endpoint& really);
  std::vector<base::Endpoint> listening() const;
  // Accepts no more requests there. Transfers that answer from there still end.
  void close(const base::Endpoint& where);

  // Until stop(), on the calling thread.
  void run();
  // From any thread.
  void stop() { loop_->stop(); }
  bool run_and_wait(std::function<void()> work) {
    return loop_->run_and_wait(std::move(work));
  }
  std::size_t open_transfers() const { return open_transfers_; }
  void drain(base::Duration grace, std::string why, std::function<void()> finished);

 private:
  class Listener;

  int add_listener(const base::Endpoint& where, const base::Endpoint& really, bool first);
  void arrived(Listener& listener, const base::Endpoint& peer,
               const base::Endpoint& asked, const std::string& heard_on,
               base::ByteView datagram);
  void stray(Listener& listener, const ExchangeKey& key, const std::string& heard_on,
             const std::string& why, base::ByteBuffer answer);
  void requested(Listener& listener, const ExchangeKey& key, const std::string& heard_on,
                 wire::tftp::Request request);
  // The transfer that the new one replaces if its peer answers there; or nothing. False:
  // the running one answers the request.
  bool makes_room(const ExchangeKey& key, const wire::tftp::Request& request,
                  std::shared_ptr<Exchange>& before);
  void open(const std::shared_ptr<Exchange>& active, gate::Place place);
  template <class Grant, class MakeSession>
  void granted(const std::shared_ptr<Exchange>& active, base::Outcome<Grant> grant,
               MakeSession make_session);
  void refuse(Listener& listener, const ExchangeKey& key, const base::Refusal& refusal);
  void forget(const std::shared_ptr<Exchange>& active);
  // At each tick: transfers whose time has come.
  void sweep();
  void look_at(const std::shared_ptr<Exchange>& exchange, base::Instant now);
  // Ends what has no right to go on while the server is being stopped.
  void end_drained(base::Instant now);

  Shared& shared_;
  // Disk work that ends late still posts to it.
  std::shared_ptr<net::EventLoop> loop_;
  std::vector<std::unique_ptr<Listener>> listeners_;
  // Closed for requests; open until the transfers that answer through them have ended.
  std::vector<std::unique_ptr<Listener>> retired_;
  Timetable timetable_;
  std::map<ExchangeKey, std::shared_ptr<Exchange>> active_;
  std::atomic<std::size_t> open_transfers_ = 0;  // of active_, for other threads
  bool draining_ = false;
  base::Instant drain_until_{};
  std::string drain_why_;
  std::function<void()> drained_;
};

}  // namespace vantro::serve::tftp
