#include "net/tcp_server.h"

#include <algorithm>
#include <cerrno>

#include "net/tcp_lane.h"

namespace vantro::net {

TcpServer::TcpServer(Services services, TcpConfig config, TcpProtocol protocol)
    : shared_(std::make_shared<TcpShared>(std::move(services), std::move(config),
                                          std::move(protocol))) {
  for (std::size_t i = 0; i < std::max<std::size_t>(1, shared_->config.threads); ++i) {
    lanes_.push_back(std::make_unique<TcpLane>(shared_));
  }
}

TcpServer::~TcpServer() { stop(); }

void TcpServer::stop() {
  for (auto& lane : lanes_) lane->stop();
  for (auto& thread : threads_) thread.join();
  threads_.clear();
}

tl::expected<void, BindFailure> TcpServer::bind() {
  for (const bool tls : {false, true}) {
    auto bound = bind_each(
        tls ? shared_->config.listen_tls : shared_->config.listen,
        [&](const auto& where) { return lanes_.front()->listen(where, tls, lanes_); },
        [&](const auto& where) {
          shared_->log.warning("this machine has no IPv6",
                               {{"not listening on", where.text()}});
        });
    if (!bound) return bound;
  }
  if (const auto& local = shared_->config.local; local && *local) {
    const int error = lanes_.front()->listen_locally(std::move(*local), lanes_);
    if (error != 0) return tl::unexpected(BindFailure{{}, error});
  }
  note_listening();
  return {};
}

tl::expected<void, BindFailure> TcpServer::change(const FrontTerms& terms) {
  tl::expected<void, BindFailure> done;
  const auto& lane = lanes_.front();
  const bool ran = lane->loop()->run_and_wait([&] {
    std::vector<base::Endpoint> before = lane->wanted(false);
    done = lane->move(terms.listen, false, lanes_);
    if (!done) return;
    done = lane->move(terms.listen_tls, true, lanes_);
    if (!done) static_cast<void>(lane->move(before, false, lanes_));
    note_listening();
  });
  if (!ran) return tl::unexpected(BindFailure{{}, ECANCELED});
  if (done) shared_->limit(terms.most_per_address);
  return done;
}

std::vector<base::Listening> TcpServer::listening() const {
  const base::Lock lock(mutex_);
  return listening_;
}

// On the first lane's thread, or before it exists.
void TcpServer::note_listening() {
  const auto& protocol = shared_->protocol;
  std::vector<base::Listening> all;
  for (const auto& where : lanes_.front()->listening(false)) {
    all.push_back({protocol.name, where});
    for (const auto& name : protocol.also) all.push_back({name, where});
  }
  for (const auto& where : lanes_.front()->listening(true)) {
    all.push_back({protocol.name_with_tls, where});
  }
  const base::Lock lock(mutex_);
  listening_ = std::move(all);
}

void TcpServer::start() {
  for (auto& lane : lanes_) threads_.emplace_back([&lane] { lane->run(); });
}

FrontStatus TcpServer::status() const { return shared_->status(); }

void TcpServer::drain(base::Duration grace, std::function<void()> finished) {
  lanes_to_drain_ = lanes_.size();
  for (auto& lane : lanes_) {
    lane->drain(grace, [this, finished] {
      if (--lanes_to_drain_ == 0) finished();
    });
  }
}

}  // namespace vantro::net
