// The sockets and addresses of rescue sessions: implements desk/rescue_hands.h with rooms
// that may open them.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "base/log.h"
#include "base/protocol.h"
#include "daemon/reload.h"
#include "desk/rescue_hands.h"
#include "serve/push/pusher.h"
#include "serve/shared.h"

namespace vantro::daemon {

class WireHands final : public desk::RescueHands {
 public:
  using Listening = std::function<std::vector<base::Listening>()>;

  // What `services` names, and `live`, must outlive it.
  WireHands(const serve::Services& services, const LiveSettings& live,
            Listening listening);

  std::vector<desk::WireInterface> interfaces() override;
  jobs::rescue::WireFacts look(const std::string& interface,
                               const jobs::rescue::Profile& profile,
                               bool ask_others) override;
  base::Outcome<void> add_address(const std::string& interface,
                                  const base::Address& address, unsigned prefix,
                                  std::chrono::seconds hold) override;
  void remove_address(const std::string& interface, const base::Address& address,
                      unsigned prefix) override;
  base::Outcome<std::unique_ptr<desk::OpenWire>> open(desk::Opening opening) override;
  bool answers(const base::Address& address, std::uint16_t port,
               const std::string& interface) override;
  base::Outcome<std::uint64_t> push(
      gate::ReadGrant grant, desk::PushOrder order,
      std::function<void(const desk::PushView&)> ended) override;
  std::optional<desk::PushView> find_push(std::uint64_t id) const override;
  bool end_push(std::uint64_t id) override;

  // Ends the pushes that run.
  void stop() { pusher_.stop(); }

 private:
  bool served(const jobs::rescue::Profile& profile) const;
  base::Outcome<std::unique_ptr<net::Front>> front_for(
      const jobs::rescue::Profile& profile) const;

  serve::Services services_;
  const LiveSettings& live_;
  const Listening listening_;
  serve::push::Pusher pusher_;
};

}  // namespace vantro::daemon
