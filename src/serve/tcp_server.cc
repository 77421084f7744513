#include "serve/tcp_server.h"

#include <algorithm>
#include <cerrno>

#include "serve/tcp_lane.h"

namespace vantro::serve {

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
    bool any = false;
    for (const auto& where : tls ? shared_->config.listen_tls : shared_->config.listen) {
      const int error = lanes_.front()->listen(where, tls, lanes_);
      const bool no_such_family = error == EAFNOSUPPORT || error == EADDRNOTAVAIL;
      if (no_such_family && any && where.address.is_unspecified()) {
        shared_->log.warning("there is no IPv6 here",
                             {{"not listening on", where.text()}});
        continue;
      }
      if (error != 0) return tl::unexpected(BindFailure{where, error});
      any = true;
    }
  }
  return {};
}

std::vector<base::Endpoint> TcpServer::listening() const {
  return lanes_.front()->listening(false);
}

std::vector<base::Endpoint> TcpServer::listening_tls() const {
  return lanes_.front()->listening(true);
}

void TcpServer::start() {
  for (auto& lane : lanes_) threads_.emplace_back([&lane] { lane->run(); });
}

void TcpServer::drain(base::Duration grace, std::function<void()> finished) {
  lanes_to_drain_ = lanes_.size();
  for (auto& lane : lanes_) {
    lane->drain(grace, [this, finished] {
      if (--lanes_to_drain_ == 0) finished();
    });
  }
}

}  // namespace vantro::serve
