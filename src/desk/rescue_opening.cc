// How a rescue session begins: its parameters, its checks, and what is opened.
#include <algorithm>
#include <fmt/format.h>

#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/pushes.h"
#include "desk/rescue_files.h"
#include "desk/rescue_running.h"
#include "repository/change.h"
#include "text/nearest.h"

namespace vantro::desk {

namespace rescue = jobs::rescue;
using base::Kind;

namespace {

// The kernel removes an added address so long after the session's end, if nobody else
// does.
constexpr std::chrono::seconds kAddressOutlives{30};
constexpr std::chrono::seconds kLongestSession{24 * 3600};

std::string opening_text(const rescue::Session& session) {
  std::vector<std::string> names;
  for (const auto& one : session.names) {
    names.push_back(fmt::format("'{}' for {}", one.name, one.stands_for));
  }
  return fmt::format(
      "on {} until {}, profile '{}', {}{}", session.interface,
      base::local_time(session.until), session.profile, fmt::join(names, ", "),
      session.own_address
          ? fmt::format(", {}/{} added", session.server.text(), session.prefix)
          : "");
}

}  // namespace

base::Outcome<Guest> parse_guest(const std::string& text, bool serial) {
  Guest guest;
  std::string rest = text;
  if (const auto at = rest.rfind('@'); at != std::string::npos) {
    const auto address = base::Address::parse(rest.substr(at + 1));
    if (!address || !address->is_v4()) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("'{}' is not an IPv4 address",
                                      base::printable(rest.substr(at + 1), 40)));
    }
    guest.address = *address;
    rest.resize(at);
  }
  if (const auto at = rest.find('='); at != std::string::npos) {
    guest.device = rest.substr(at + 1);
    rest.resize(at);
  }
  if (serial) {
    constexpr std::size_t kShortest = 4;
    if (rest.size() < kShortest) {
      return base::refuse(
          Kind::kInvalid,
          fmt::format(
              "'{}' is too short for a serial number; it needs 4 characters or more",
              base::printable(rest, 40)));
    }
    guest.serial = rest;
    return guest;
  }
  guest.link = base::LinkAddress::parse(rest);
  if (!guest.link) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("'{}' is not a link address; example: "
                                    "02:00:5e:10:00:01",
                                    base::printable(rest, 40)));
  }
  return guest;
}

base::Outcome<rescue::Profile> Rescues::profile_for(const RescueWanted& wanted,
                                                    const std::string& platform) const {
  const auto all = profiles_();
  if (all.empty()) {
    return base::refuse(
        Kind::kNotFound,
        "the settings have no rescue profiles; docs/guide/rescue.md says how to "
        "write one ([[rescue]])");
  }
  std::vector<std::string> names;
  for (const auto& one : all) names.push_back(one.name);
  if (!wanted.profile.empty()) {
    for (const auto& one : all) {
      if (base::folded(one.name) == base::folded(wanted.profile)) return one;
    }
    return base::refuse(
        Kind::kNotFound,
        fmt::format("unknown rescue profile '{}'; there are {}",
                    base::printable(wanted.profile, 40), fmt::join(names, ", ")),
        text::nearest(wanted.profile, names).value_or(""));
  }
  std::vector<const rescue::Profile*> fitting;
  for (const auto& one : all) {
    if (!platform.empty() && base::folded(one.platform) == base::folded(platform)) {
      fitting.push_back(&one);
    }
  }
  if (fitting.size() == 1) return *fitting.front();
  if (fitting.empty()) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format(
            "{}; choose one with --profile: {}",
            platform.empty()
                ? std::string("no device with a platform was named")
                : fmt::format("no rescue profile is for the platform '{}'", platform),
            fmt::join(names, ", ")));
  }
  names.clear();
  for (const auto* one : fitting) names.push_back(one->name);
  return base::refuse(Kind::kInvalid,
                      fmt::format("several rescue profiles are for the platform '{}'; "
                                  "choose one with --profile: {}",
                                  platform, fmt::join(names, ", ")));
}

base::Outcome<RescueOpened> Rescues::open(const Caller& caller,
                                          const RescueWanted& wanted) {
  if (wanted.hold < std::chrono::seconds(10) || wanted.hold > kLongestSession) {
    return base::refuse(Kind::kInvalid, "a rescue session lasts 10 seconds to 24 hours");
  }
  std::optional<fleet::Device> device;
  if (!wanted.device.empty()) {
    auto found = repository_.devices.find(wanted.device);
    if (!found) return base::refuse(found.error());
    device = std::move(*found);
  }
  const auto profile = profile_for(wanted, device ? device->platform : std::string());
  if (!profile) return base::refuse(profile.error());
  if (profile->way == rescue::Way::kWaits && !caller.powers.has(auth::Right::kPush)) {
    return base::refuse(Kind::kDenied,
                        fmt::format("the profile '{}' sends an image to the device, "
                                    "which needs the right 'push'; {} does not have it",
                                    profile->name, caller.name));
  }
  std::vector<Guest> guests;
  for (const bool serial : {false, true}) {
    for (const auto& text : serial ? wanted.serials : wanted.link_addresses) {
      auto guest = parse_guest(text, serial);
      if (!guest) return base::refuse(guest.error());
      if (guest->address && !profile->network().contains(*guest->address)) {
        return base::refuse(
            Kind::kInvalid,
            fmt::format("{} is not in the session's network {}", guest->address->text(),
                        profile->network().text()));
      }
      guests.push_back(std::move(*guest));
    }
  }
  // The inventory may name the expected device.
  if (guests.empty() && device && !device->link_address.empty()) {
    Guest known;
    known.link = base::LinkAddress::parse(device->link_address);
    known.device = device->name;
    if (known.link) guests.push_back(std::move(known));
  }
  for (auto& one : guests) {
    if (one.device.empty() && device && guests.size() == 1) one.device = device->name;
  }
  const base::Lock lock(opening_);
  rescue::Session session;
  if (device) session.device = device->id;
  if (device) session.device_name = device->name;
  session.node = repository_.folder.node();
  session.interface = wanted.interface;
  session.profile = profile->name;
  session.platform = profile->platform;
  session.way = profile->way;
  session.over = profile->over;
  session.server = profile->server;
  session.prefix = profile->prefix;
  const auto rescues = repository_.snapshot()->rescues;
  for (const auto& other : rescues->all()) {
    if (auto possible = rescue::Sessions::beside(*other, session); !possible) {
      return base::refuse(possible.error());
    }
  }
  auto files = rescue_files(repository_, *profile, device ? device->name : std::string(),
                            guests, wanted.image, wanted.text);
  if (!files) return base::refuse(files.error());
  const auto wire =
      hands_.look(wanted.interface, *profile, profile->way == rescue::Way::kAsks);
  RescueOpened opened;
  opened.checks = rescue::checks(*profile, wire, files->facts,
                                 {wanted.own_address, wanted.despite_other});
  const bool stops = std::any_of(
      opened.checks.begin(), opened.checks.end(),
      [](const jobs::Check& one) { return one.verdict == jobs::Verdict::kStop; });
  if (stops || !wanted.really) return opened;

  session.own_address =
      std::none_of(wire.addresses.begin(), wire.addresses.end(),
                   [&](const auto& one) { return one.first == profile->server; });
  session.opened_at = repository_.clock.wall();
  session.opened_by = caller.name;
  session.until =
      session.opened_at +
      std::chrono::duration_cast<std::chrono::milliseconds>(wanted.hold).count();
  session.names = std::move(files->names);
  const auto admission = wanted.any_device ? Admission::kAnybody
                         : guests.empty()  ? Admission::kFirst
                                           : Admission::kGuests;
  auto running =
      begin(caller, std::move(session), *profile, std::move(guests), admission);
  if (!running) return base::refuse(running.error());
  if (profile->way == rescue::Way::kWaits) {
    if (auto pushed = push_to(caller, **running); !pushed) {
      end(*running, "server", pushed.error().sentence);
      return base::refuse(pushed.error());
    }
  }
  opened.view = view_of(**running);
  return opened;
}

base::Outcome<std::shared_ptr<Rescues::Running>> Rescues::begin(
    const Caller& caller, rescue::Session wanted, const rescue::Profile& profile,
    std::vector<Guest> guests, Admission admission) {
  const auto session = repository::change(
      repository_, caller.by(),
      [&](db::Transaction& t,
          repository::Change& change) -> base::Outcome<rescue::Session> {
        auto added = rescue::Sessions::add(t, wanted);
        if (!added) return added;
        ledger::Ledger::record(t, rescue_entry(*added, "rescue-open", caller.by(),
                                               opening_text(*added), change.now()));
        return added;
      });
  if (!session) return base::refuse(session.error());
  const auto undo = [&](const base::Refusal& why) {
    give_back(*session);
    const auto done =
        record_end(*session, "server", why.sentence, "it was not opened", {});
    if (!done) {
      repository_.log.error("a rescue session could not be ended",
                            {{"why", done.error().sentence}});
    }
    return base::refuse(why);
  };
  if (session->own_address) {
    const auto hold = std::chrono::seconds((session->until - session->opened_at) / 1000) +
                      kAddressOutlives;
    const auto added =
        hands_.add_address(session->interface, session->server, session->prefix, hold);
    if (!added) return undo(added.error());
  }
  auto running = std::make_shared<Running>(*session, profile);
  Opening opening;
  opening.session = *session;
  opening.profile = profile;
  opening.guests = std::move(guests);
  opening.admission = admission;
  opening.tell = [this, told = std::weak_ptr<Running>(running)](AddressTold what) {
    const auto to = told.lock();
    if (!to) return;
    const base::Lock lock(to->told_mutex);
    if (to->told.size() < kMostTold) {
      to->told.emplace_back(repository_.clock.wall(), std::move(what));
    }
  };
  auto wire = hands_.open(std::move(opening));
  if (!wire) return undo(wire.error());
  running->wire = std::move(*wire);
  const base::Lock lock(mutex_);
  running_[session->id] = running;
  return running;
}

base::Outcome<void> Rescues::push_to(const Caller& caller, Running& running) {
  const auto& session = running.session;
  const auto& profile = running.profile;
  PushWanted wanted;
  wanted.image = session.names.front().stands_for;
  wanted.to =
      base::Endpoint{profile.first_device,
                     profile.port != 0 ? profile.port
                                       : base::find_protocol(profile.over)->usual_port,
                     0}
          .text();
  wanted.name = session.names.front().name;
  wanted.over = profile.over;
  wanted.wait = std::chrono::milliseconds(session.until - session.opened_at);
  const auto begun = Pushes(repository_, gate_, hands_, caller).begin(wanted);
  if (!begun) return base::refuse(begun.error());
  running.push = begun->id;
  return {};
}

}  // namespace vantro::desk
