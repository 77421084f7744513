#include "desk/pushes.h"

#include <fmt/format.h>

#include "base/protocol.h"
#include "base/visible_name.h"
#include "desk/images.h"
#include "fleet/known_hosts.h"
#include "repository/change.h"

namespace vantro::desk {
namespace {

using base::Kind;

bool over_ssh(const std::string& protocol) {
  return protocol == "scp" || protocol == "sftp";
}

// The remembered fingerprint of a device; empty: none.
base::Outcome<std::string> known_host(repository::Repository& repository,
                                      const base::Endpoint& host) {
  return repository.database->read([&](db::Transaction& t) -> base::Outcome<std::string> {
    return fleet::KnownHosts::find(t, host.text());
  });
}

void remember_host(repository::Repository& repository, const repository::By& by,
                   const base::Endpoint& host, const std::string& fingerprint) {
  const auto done = repository::change(
      repository, by,
      [&](db::Transaction& t, repository::Change& change) -> base::Outcome<void> {
        const auto before = fleet::KnownHosts::find(t, host.text());
        if (before == fingerprint) return {};
        fleet::KnownHosts::set(t, host.text(), fingerprint, change.now());
        change.record(t, "host-key", host.text(), "",
                      before.empty() ? fmt::format("remembered {}", fingerprint)
                                     : fmt::format("{} -> {}", before, fingerprint));
        return {};
      });
  if (!done) {
    repository.log.error("a device's host key could not be remembered",
                         {{"device", host.text()}, {"why", done.error().sentence}});
  }
}

}  // namespace

base::Outcome<base::Endpoint> Pushes::target(const PushWanted& wanted) const {
  const auto port = base::find_protocol(wanted.over)->usual_port;
  if (const auto endpoint = base::Endpoint::parse(wanted.to, port)) return *endpoint;
  const auto holder = repository_.inventory.holder(wanted.to);
  if (!holder) return base::refuse(holder.error());
  const auto known = repository_.snapshot()->devices;
  const auto* device = known->find(holder->name);
  if (device != nullptr) {
    for (const auto& network : device->networks) {
      if (const auto address = base::Address::parse(network.text())) {
        return base::Endpoint{*address, port, 0};
      }
    }
  }
  return base::refuse(
      Kind::kInvalid,
      fmt::format(
          "{} has no single address in the inventory; give the address with --device",
          holder->name));
}

base::Outcome<PushBegun> Pushes::begin(const PushWanted& wanted) {
  if (!caller_.powers.has(auth::Right::kPush)) {
    return base::refuse(
        Kind::kDenied,
        fmt::format(
            "sending to devices needs the right 'push', which {} does not have; an "
            "administrator can give it: 'vantro person change {} --rights push'",
            caller_.name, caller_.name));
  }
  const auto image = find_image(repository_, wanted.image);
  if (!image) return base::refuse(image.error());
  if (base::find_protocol(wanted.over) == nullptr) {
    return base::refuse(Kind::kInvalid, fmt::format("'{}' is not a protocol",
                                                    base::printable(wanted.over, 20)));
  }
  const auto to = target(wanted);
  if (!to) return base::refuse(to.error());
  if (over_ssh(wanted.over) && wanted.account.empty()) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("{} needs the device's account; give it with "
                                    "--account",
                                    wanted.over));
  }
  if (wanted.block_size < 8 || wanted.block_size > 65464 || wanted.window_size < 1 ||
      wanted.window_size > 64) {
    return base::refuse(Kind::kInvalid,
                        "a block has 8 to 65464 bytes, and a window 1 to 64 blocks");
  }
  PushBegun begun;
  begun.image = image->name;
  begun.sha256 = image->digests.sha256;
  begun.size = image->size;
  begun.to = *to;
  begun.name =
      wanted.name.empty() ? std::string(base::last_part(image->name)) : wanted.name;
  std::string known;
  if (over_ssh(wanted.over)) {
    auto remembered = known_host(repository_, *to);
    if (!remembered) return base::refuse(remembered.error());
    begun.first_time = remembered->empty();
    known = wanted.fingerprint.empty() ? *remembered : wanted.fingerprint;
  }
  PushOrder order;
  order.to = *to;
  order.protocol = wanted.over;
  order.name = begun.name;
  order.wait = wanted.wait;
  order.block_size = wanted.block_size;
  order.window_size = wanted.window_size;
  order.account = wanted.account;
  order.password = wanted.password;
  order.post = wanted.post;
  order.fingerprint = known;
  const auto rescues = repository_.snapshot()->rescues;
  if (const auto* session = rescues->around(to->address, repository_.clock.wall())) {
    order.interface = session->interface;
  }
  gate::Asker asker;
  asker.peer = *to;
  asker.protocol = wanted.over;
  asker.account = wanted.account;
  asker.remark = "pushed by " + caller_.name;
  auto grant = gate_.open_push(asker, *image, begun.name);
  if (!grant) return base::refuse(grant.error());
  const auto id = hands_.push(std::move(*grant), std::move(order),
                              [&repository = repository_, by = caller_.by(), to = *to,
                               known](const PushView& view) {
                                // Only a device that accepted the account is surely the
                                // right one.
                                if (view.complete && !view.fingerprint.empty()) {
                                  remember_host(repository, by, to, view.fingerprint);
                                }
                              });
  if (!id) return base::refuse(id.error());
  begun.id = *id;
  return begun;
}

base::Outcome<PushView> Pushes::find(std::uint64_t id) const {
  auto view = hands_.find_push(id);
  if (view) return std::move(*view);
  return base::refuse(
      Kind::kNotFound,
      fmt::format("unknown push {}; the server remembers the last 100", id));
}

base::Outcome<void> Pushes::end(std::uint64_t id) {
  if (hands_.end_push(id)) return {};
  return base::refuse(Kind::kNotFound, fmt::format("push {} is not running", id));
}

}  // namespace vantro::desk
