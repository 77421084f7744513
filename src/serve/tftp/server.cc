#include "serve/tftp/server.h"

#include <algorithm>
#include <cerrno>

#include "serve/tftp/lane.h"

namespace vantro::serve::tftp {
namespace {

constexpr const char* kStopping = "the server is being stopped; try again in a minute";

}  // namespace

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

int Server::listen(const base::Endpoint& where) {
  if (const int error = lanes_.front()->listen_first(where); error != 0) return error;
  const auto real = lanes_.front()->listening().back();
  for (std::size_t i = 1; i < lanes_.size(); ++i) {
    int error = 0;
    const auto open = [&] { error = lanes_[i]->listen_too(where, real); };
    if (threads_.empty()) {
      open();
    } else if (!lanes_[i]->run_and_wait(open)) {
      error = ECANCELED;
    }
    if (error != 0) return error;
  }
  return 0;
}

tl::expected<void, net::BindFailure> Server::bind() {
  auto bound = net::bind_each(
      shared_->config.listen,
      [&](const auto& where) {
        const int error = listen(where);
        if (error == 0) wanted_.push_back(where);
        return error;
      },
      [&](const auto& where) {
        shared_->log.warning("this machine has no IPv6",
                             {{"not listening on", where.text()}});
      });
  note_listening();
  return bound;
}

tl::expected<void, net::BindFailure> Server::change(const net::FrontTerms& terms) {
  // The first lane waits for the others, which wait for nobody.
  tl::expected<void, net::BindFailure> done;
  const bool ran = lanes_.front()->run_and_wait([&] {
    done = net::move_listeners(
        wanted_, terms.listen,
        [&](const auto& where) {
          lanes_.front()->close(where);
          for (std::size_t i = 1; i < lanes_.size(); ++i) {
            lanes_[i]->run_and_wait([&] { lanes_[i]->close(where); });
          }
          std::erase(wanted_, where);
        },
        [&](const auto& where) {
          const int error = listen(where);
          if (error == 0) wanted_.push_back(where);
          return error;
        });
    note_listening();
  });
  if (!ran) return tl::unexpected(net::BindFailure{{}, ECANCELED});
  return done;
}

std::vector<base::Listening> Server::listening() const {
  const base::Lock lock(mutex_);
  return listening_;
}

// On the first lane's thread, or before it exists.
void Server::note_listening() {
  std::vector<base::Listening> all;
  for (const auto& where : lanes_.front()->listening()) all.push_back({"tftp", where});
  const base::Lock lock(mutex_);
  listening_ = std::move(all);
}

void Server::start() {
  for (auto& lane : lanes_) threads_.emplace_back([&lane] { lane->run(); });
}

net::FrontStatus Server::status() const {
  net::FrontStatus status;
  for (const auto& lane : lanes_) status.open += lane->open_transfers();
  return status;
}

void Server::drain(base::Duration grace, std::function<void()> finished) {
  lanes_to_drain_ = lanes_.size();
  for (auto& lane : lanes_) {
    lane->drain(grace, kStopping, [this, finished] {
      if (--lanes_to_drain_ == 0) finished();
    });
  }
}

}  // namespace vantro::serve::tftp
