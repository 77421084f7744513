#include "serve/tftp/server.h"

#include <algorithm>
#include <cerrno>

#include "serve/tftp/lane.h"

namespace vantro::serve::tftp {

Server::Server(Pools pools, gate::Gate& gate, const base::Clock& clock, base::Log log,
               Config config)
    : shared_(std::make_unique<Shared>(pools, gate, clock, std::move(log),
                                       std::move(config))) {
  for (std::size_t i = 0; i < std::max<std::size_t>(1, shared_->config.threads); ++i) {
    lanes_.push_back(std::make_unique<Lane>(*shared_));
  }
}

Server::~Server() { stop(); }

void Server::stop() {
  for (auto& lane : lanes_) lane->stop();
  for (auto& thread : threads_) thread.join();
  threads_.clear();
}

tl::expected<void, BindFailure> Server::bind() {
  bool any = false;
  for (const auto& where : shared_->config.listen) {
    const int error = lanes_.front()->listen_first(where);
    const bool no_such_family = error == EAFNOSUPPORT || error == EADDRNOTAVAIL;
    if (no_such_family && any && where.address.is_unspecified()) {
      shared_->log.warning("there is no IPv6 here", {{"not listening on", where.text()}});
      continue;
    }
    if (error != 0) return tl::unexpected(BindFailure{where, error});
    any = true;
    const auto real = lanes_.front()->listening().back();
    for (std::size_t i = 1; i < lanes_.size(); ++i) {
      if (const int refused = lanes_[i]->listen_too(real); refused != 0) {
        return tl::unexpected(BindFailure{where, refused});
      }
    }
  }
  return {};
}

std::vector<base::Endpoint> Server::listening() const {
  return lanes_.front()->listening();
}

void Server::start() {
  for (auto& lane : lanes_) threads_.emplace_back([&lane] { lane->run(); });
}

void Server::drain(base::Duration grace, std::string why,
                   std::function<void()> finished) {
  lanes_to_drain_ = lanes_.size();
  for (auto& lane : lanes_) {
    lane->drain(grace, why, [this, finished] {
      if (--lanes_to_drain_ == 0) finished();
    });
  }
}

}  // namespace vantro::serve::tftp
