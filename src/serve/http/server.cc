#include "serve/http/server.h"

#include <algorithm>
#include <cerrno>

#include "serve/http/lane.h"
#include "serve/http/shared.h"

namespace vantro::serve::http {

Server::Server(boost::asio::thread_pool& disk, boost::asio::thread_pool& slow,
               boost::asio::thread_pool& doors, gate::Gate& gate,
               const base::Clock& clock, base::Log log, Config config)
    : shared_(std::make_shared<Shared>(disk, slow, doors, gate, clock, std::move(log),
                                       std::move(config))) {
  for (std::size_t i = 0; i < std::max<std::size_t>(1, shared_->config.threads); ++i) {
    lanes_.push_back(std::make_unique<Lane>(shared_));
  }
}

Server::~Server() { stop(); }

void Server::stop() {
  for (auto& lane : lanes_) lane->stop();
  for (auto& thread : threads_) thread.join();
  threads_.clear();
}

tl::expected<void, BindFailure> Server::bind() {
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

std::vector<base::Endpoint> Server::listening() const {
  return lanes_.front()->listening(false);
}

std::vector<base::Endpoint> Server::listening_tls() const {
  return lanes_.front()->listening(true);
}

void Server::start() {
  for (auto& lane : lanes_) threads_.emplace_back([&lane] { lane->run(); });
}

void Server::drain(base::Duration grace, std::function<void()> finished) {
  lanes_to_drain_ = lanes_.size();
  for (auto& lane : lanes_) {
    lane->drain(grace, [this, finished] {
      if (--lanes_to_drain_ == 0) finished();
    });
  }
}

}  // namespace vantro::serve::http
