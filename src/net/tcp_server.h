// A server over TCP: one lane listens and hands connections out to all lanes in turn;
// each lane is a thread with its event loop, and a connection stays in its lane.
#pragma once

#include <atomic>
#include <functional>
#include <memory>
#include <thread>
#include <tl/expected.hpp>
#include <vector>

#include "base/address.h"
#include "base/clock.h"
#include "base/mutex.h"
#include "net/front.h"
#include "net/tcp_shared.h"

namespace vantro::net {

class TcpServer final : public Front {
 public:
  TcpServer(Services services, TcpConfig config, TcpProtocol protocol);
  // Ends everything that still runs.
  ~TcpServer() override;
  TcpServer(const TcpServer&) = delete;
  TcpServer& operator=(const TcpServer&) = delete;

  tl::expected<void, BindFailure> bind() override;
  std::vector<base::Listening> listening() const override;
  void start() override;
  tl::expected<void, BindFailure> change(const FrontTerms& terms) override;
  void drain(base::Duration grace, std::function<void()> finished) override;
  FrontStatus status() const override;
  void stop() override;

 private:
  void note_listening();

  std::shared_ptr<TcpShared> shared_;
  std::vector<std::unique_ptr<TcpLane>> lanes_;
  std::vector<std::thread> threads_;
  std::atomic<std::size_t> lanes_to_drain_ = 0;
  mutable base::Mutex mutex_;
  std::vector<base::Listening> listening_ VANTRO_GUARDED_BY(mutex_);
};

}  // namespace vantro::net
