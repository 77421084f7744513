#include "daemon/rescue_hands.h"

#include <algorithm>
#include <cerrno>
#include <fmt/format.h>
#include <future>
#include <netinet/in.h>
#include <sys/socket.h>

#include "daemon/configs.h"
#include "daemon/port_holder.h"
#include "net/interface.h"
#include "net/socket_address.h"
#include "net/tcp_server.h"
#include "serve/dhcp/server.h"
#include "serve/http/server.h"
#include "serve/reach.h"
#include "serve/tftp/server.h"

namespace vantro::daemon {

namespace rescue = jobs::rescue;
namespace dhcp = vantro::wire::dhcp;
using base::Kind;

namespace {

// Some check for two seconds whether an address is free before they offer it.
constexpr std::chrono::seconds kAskOthersFor{4};
constexpr std::chrono::seconds kAnswersWithin{1};
// Transfers of an ending session are told so, and have a moment for it.
constexpr std::chrono::seconds kTellEnd{1};

std::uint16_t port_of(const rescue::Profile& profile) {
  return profile.port != 0 ? profile.port : base::find_protocol(profile.over)->usual_port;
}

bool is_udp(const rescue::Profile& profile) { return profile.over == "tftp"; }

// Tries to listen there, whether this machine has the address yet or not. 0 or an errno.
int try_port(const base::Endpoint& where, bool udp) {
  const base::UniqueFd socket(
      ::socket(AF_INET, (udp ? SOCK_DGRAM : SOCK_STREAM) | SOCK_CLOEXEC, 0));
  if (!socket) return errno;
  const int on = 1;
  ::setsockopt(socket.get(), IPPROTO_IP, IP_FREEBIND, &on, sizeof on);
  if (!udp) ::setsockopt(socket.get(), SOL_SOCKET, SO_REUSEADDR, &on, sizeof on);
  const net::SocketAddress address(where);
  return ::bind(socket.get(), address.get(), address.size) == 0 ? 0 : errno;
}

dhcp::LeasePlan plan_of(const desk::Opening& opening, base::Instant now,
                        base::WallTime wall) {
  const auto& profile = opening.profile;
  dhcp::LeasePlan plan;
  plan.server = profile.server;
  plan.prefix = profile.prefix;
  plan.pool = profile.devices();
  plan.admission =
      opening.admission == desk::Admission::kAnybody ? dhcp::Admission::kAnybody
      : opening.admission == desk::Admission::kFirst ? dhcp::Admission::kFirst
                                                     : dhcp::Admission::kGuests;
  for (const auto& one : opening.guests) {
    plan.guests.push_back({one.link, one.serial, one.device, one.address});
  }
  plan.lease = profile.lease;
  plan.ends = now + std::chrono::milliseconds(opening.session.until - wall);
  plan.routers = profile.routers;
  plan.name_servers = profile.name_servers;
  plan.time_servers = profile.time_servers;
  plan.tftp_servers = profile.tftp_servers;
  plan.domain = profile.domain;
  plan.vendor_class = profile.vendor_class;
  plan.vendor = profile.vendor;
  plan.vendor_by_number = profile.vendor_by_number;
  plan.relays = profile.relays;
  for (const auto& file : profile.files) {
    if (!file.told) continue;
    plan.files.push_back(
        {file.architecture, file.user_class, file.vendor_class, file.name});
  }
  return plan;
}

std::optional<desk::AddressTold> told_of(const dhcp::Told& told) {
  using What = dhcp::Told::What;
  using To = desk::AddressTold::What;
  desk::AddressTold line;
  line.sentence = dhcp::sentence(told);
  if (told.address) line.address = *told.address;
  switch (told.what) {
    case What::kAsked:
      line.what = To::kAsked;
      break;
    case What::kGiven:
      line.what = To::kGot;
      break;
    case What::kRefused:
    case What::kChoseOther:
    case What::kOtherServer:
      line.what = To::kRefused;
      break;
    case What::kReleased:
    case What::kDeclined:
    case What::kInUse:
      line.what = To::kOther;
      break;
    case What::kOffered:
    case What::kRenewed:
      // They say nothing that the person at the rack waits for.
      return std::nullopt;
  }
  return line;
}

class OpenSockets final : public desk::OpenWire {
 public:
  OpenSockets(std::unique_ptr<net::Front> front,
              std::unique_ptr<serve::dhcp::Server> addresses)
      : front_(std::move(front)), addresses_(std::move(addresses)) {}
  OpenSockets(const OpenSockets&) = delete;
  OpenSockets& operator=(const OpenSockets&) = delete;
  ~OpenSockets() override {
    addresses_.reset();
    if (!front_) return;
    const auto finished = std::make_shared<std::promise<void>>();
    auto done = finished->get_future();
    front_->drain({}, [finished] { finished->set_value(); });
    done.wait_for(kTellEnd);
    front_->stop();
  }

 private:
  std::unique_ptr<net::Front> front_;
  std::unique_ptr<serve::dhcp::Server> addresses_;
};

desk::PushView view_of(std::uint64_t id, const serve::push::Ending& ending) {
  return {id,         false,
          true,       ending.how == serve::push::Outcome::kComplete,
          ending.why, ending.fingerprint};
}

wire::tftp::Patience push_patience(const Settings& settings) {
  auto patience = tftp_config(settings).patience;
  // A device that erases its flash after the negotiation is silent for long.
  patience.most_unanswered = 1000;
  patience.most_silence = std::chrono::minutes(3);
  return patience;
}

}  // namespace

WireHands::WireHands(const serve::Services& services, const LiveSettings& live,
                     Listening listening)
    : services_(services),
      live_(live),
      listening_(std::move(listening)),
      pusher_(services.clock, push_patience(*live.get())) {}

bool WireHands::served(const rescue::Profile& profile) const {
  const auto all = listening_();
  return std::any_of(all.begin(), all.end(), [&](const base::Listening& one) {
    return one.protocol == profile.over && one.where.port == port_of(profile) &&
           (one.where.address == profile.server ||
            (one.where.address.is_v4() && one.where.address.is_unspecified()));
  });
}

std::vector<desk::WireInterface> WireHands::interfaces() {
  std::vector<desk::WireInterface> all;
  for (const auto& name : net::interface_names()) {
    const auto state = net::interface_state(name);
    if (!state) continue;  // it is gone
    desk::WireInterface one{name, state->up, state->carrier, state->link.text(), {}};
    for (const auto& [address, prefix] : state->addresses) {
      one.addresses.push_back(fmt::format("{}/{}", address.text(), prefix));
    }
    all.push_back(std::move(one));
  }
  return all;
}

rescue::WireFacts WireHands::look(const std::string& interface,
                                  const rescue::Profile& profile, bool ask_others) {
  rescue::WireFacts facts;
  facts.interface = interface;
  facts.interfaces = net::interface_names();
  const auto powers = net::network_powers();
  facts.may_raw = powers.raw;
  facts.may_admin = powers.admin;
  if (const auto state = net::interface_state(interface)) {
    facts.exists = true;
    facts.up = state->up;
    facts.carrier = state->carrier;
    facts.ethernet = state->ethernet;
    facts.addresses = state->addresses;
    if (!state->has(profile.server)) {
      for (const auto& other : facts.interfaces) {
        const auto there = net::interface_state(other);
        if (there && there->has(profile.server)) facts.elsewhere = other;
      }
    }
  }
  facts.listens = profile.way != rescue::Way::kWaits && served(profile);
  if (!facts.listens && profile.way != rescue::Way::kWaits) {
    const base::Endpoint where{profile.server, port_of(profile), 0};
    if (profile.over != "tftp" && profile.over != "http") {
      facts.cannot_listen = fmt::format(
          "start vantrod with --{}-listen {}; a session opens only tftp and http by "
          "itself",
          profile.over, where.text());
    } else if (const int error = try_port(where, is_udp(profile)); error != 0) {
      facts.cannot_listen =
          bind_sentence(profile.over, is_udp(profile) ? Transport::kUdp : Transport::kTcp,
                        where, error, "--" + profile.over + "-listen");
    }
  }
  if (!ask_others || !facts.exists) return facts;
  if (!facts.up) {
    facts.other_servers_unknown = fmt::format("{} is switched off", interface);
    return facts;
  }
  auto others = serve::dhcp::other_servers(interface, kAskOthersFor);
  if (others) {
    facts.other_servers = std::move(*others);
  } else {
    facts.other_servers_unknown = others.error().sentence;
  }
  // One on this machine may answer on other interfaces only, and would still get what
  // devices send to port 67.
  const base::Endpoint address_port{profile.server, dhcp::kServerPort, 0};
  if (try_port(address_port, true) == EADDRINUSE) {
    const auto holder = port_holder(Transport::kUdp, address_port);
    facts.port_held =
        holder ? fmt::format("'{}' (process {}) holds port {}; stop it for this time",
                             holder->program, holder->pid, dhcp::kServerPort)
               : fmt::format("another program holds port {}; stop it for this time",
                             dhcp::kServerPort);
  }
  return facts;
}

base::Outcome<void> WireHands::add_address(const std::string& interface,
                                           const base::Address& address, unsigned prefix,
                                           std::chrono::seconds hold) {
  const int error = net::add_address(interface, address, prefix, hold);
  if (error == 0) return {};
  return base::refuse(base::system_refusal(
      error,
      fmt::format("{}/{} can't be added to {}", address.text(), prefix, interface)));
}

void WireHands::remove_address(const std::string& interface, const base::Address& address,
                               unsigned prefix) {
  const int error = net::remove_address(interface, address, prefix);
  if (error == 0 || error == EADDRNOTAVAIL || error == ENODEV) return;
  services_.log.error("an address of a rescue session could not be removed",
                      {{"interface", interface},
                       {"address", address.text()},
                       {"why", base::system_refusal(error, "the kernel").sentence}});
}

base::Outcome<std::unique_ptr<net::Front>> WireHands::front_for(
    const rescue::Profile& profile) const {
  const base::Endpoint where{profile.server, port_of(profile), 0};
  std::unique_ptr<net::Front> front;
  const auto settings = live_.get();
  if (is_udp(profile)) {
    auto config = tftp_config(*settings);
    config.listen = {where};
    config.threads = 1;
    front = std::make_unique<serve::tftp::Server>(
        serve::tftp::Pools{services_.disk, services_.filing}, services_.gate,
        services_.clock, services_.log, std::move(config));
  } else {
    auto config = http_tcp_config(*settings, nullptr);
    config.listen = {where};
    config.listen_tls.clear();
    config.threads = 1;
    front = std::make_unique<net::TcpServer>(
        services_, std::move(config),
        serve::http::protocol(services_, http_patience(*settings)));
  }
  if (const auto bound = front->bind(); !bound) {
    return base::refuse(
        Kind::kIo,
        bind_sentence(profile.over, is_udp(profile) ? Transport::kUdp : Transport::kTcp,
                      where, bound.error().error_number,
                      "--" + profile.over + "-listen"));
  }
  front->start();
  return front;
}

base::Outcome<std::unique_ptr<desk::OpenWire>> WireHands::open(desk::Opening opening) {
  const auto& profile = opening.profile;
  std::unique_ptr<net::Front> front;
  if (profile.way != rescue::Way::kWaits && !served(profile)) {
    auto opened = front_for(profile);
    if (!opened) return base::refuse(opened.error());
    front = std::move(*opened);
  }
  std::unique_ptr<serve::dhcp::Server> addresses;
  if (profile.way == rescue::Way::kAsks) {
    auto opened = serve::dhcp::Server::open(
        opening.session.interface,
        plan_of(opening, services_.clock.now(), services_.clock.wall()), services_.clock,
        [tell = opening.tell](const dhcp::Told& told) {
          if (auto line = told_of(told)) tell(std::move(*line));
        });
    if (!opened) {
      if (front) front->stop();
      return base::refuse(opened.error());
    }
    addresses = std::move(*opened);
  }
  return std::make_unique<OpenSockets>(std::move(front), std::move(addresses));
}

bool WireHands::answers(const base::Address& address, std::uint16_t port,
                        const std::string& interface) {
  return serve::answers(address, port, interface, kAnswersWithin);
}

base::Outcome<std::uint64_t> WireHands::push(
    gate::ReadGrant grant, desk::PushOrder order,
    std::function<void(const desk::PushView&)> ended) {
  serve::push::Target target;
  target.to = order.to;
  target.protocol = order.protocol;
  target.name = order.name;
  target.interface = order.interface;
  target.wait = order.wait;
  target.block_size = order.block_size;
  target.window_size = order.window_size;
  target.account = std::move(order.account);
  target.password = std::move(order.password);
  target.post = order.post;
  target.fingerprint = order.fingerprint;
  const auto id = grant.transfer().id();
  return pusher_.begin(std::move(grant), std::move(target),
                       [id, ended = std::move(ended)](const serve::push::Ending& ending) {
                         ended(view_of(id, ending));
                       });
}

std::optional<desk::PushView> WireHands::find_push(std::uint64_t id) const {
  const auto found = pusher_.find(id);
  if (!found) return std::nullopt;
  if (!found->running) return view_of(id, found->ending);
  desk::PushView view;
  view.id = id;
  view.listens = found->listens;
  return view;
}

bool WireHands::end_push(std::uint64_t id) { return pusher_.end(id); }

}  // namespace vantro::daemon
