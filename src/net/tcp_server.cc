#include "net/tcp_server.h"

#include <algorithm>

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
          shared_->log.warning("there is no IPv6 here",
                               {{"not listening on", where.text()}});
        });
    if (!bound) return bound;
  }
  if (const auto& local = shared_->config.local; local && *local) {
    const int error = lanes_.front()->listen_locally(std::move(*local), lanes_);
    if (error != 0) return tl::unexpected(BindFailure{{}, error});
  }
  return {};
}

std::vector<base::Listening> TcpServer::listening() const {
  const auto& protocol = shared_->protocol;
  std::vector<base::Listening> all;
  for (const auto& where : lanes_.front()->listening(false)) {
    all.push_back({protocol.name, where});
    for (const auto& name : protocol.also) all.push_back({name, where});
  }
  for (const auto& where : lanes_.front()->listening(true)) {
    all.push_back({protocol.name_with_tls, where});
  }
  return all;
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
