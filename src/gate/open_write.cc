// The gate's writing half: the right to send a backup, or to hand an image in.
#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "crypto/checksum_list.h"
#include "gate/backup_write.h"
#include "gate/gate.h"
#include "gate/hand_in.h"
#include "gate/intake.h"
#include "gate/verify_first.h"
#include "gate/workings.h"

namespace vantro::gate {

using auth::Action;
using base::Kind;
using base::Refusal;

namespace {

constexpr base::WallTime kDay = 86'400'000;

TransferView transfer_of(const Asker& asker, Direction direction, const std::string& name,
                         const Announced& announced) {
  TransferView start;
  start.direction = direction;
  start.protocol = asker.protocol;
  start.request = asker.request;
  start.peer = asker.peer.address.text();
  start.account = asker.account;
  start.heard_on = asker.heard_on;
  start.name = name;
  start.total = announced.size;
  start.note = asker.remark;
  return start;
}

}  // namespace

base::Outcome<WriteGrant> Gate::open_write(const Asker& asker, Place place,
                                           std::string_view typed_name,
                                           Announced announced) {
  auto direction = Direction::kDeposit;
  const auto refused = [&](const Refusal& refusal) {
    record_refusal(asker, word(direction), typed_name, refusal);
    return base::refuse(refusal);
  };
  auto name = base::visible_name(typed_name);
  if (!name) return refused(name.error());
  if (announced.size.value_or(0) > workings_->config()->largest_deposit) {
    return refused({Kind::kTooLarge,
                    fmt::format("files larger than {} are not accepted; this one has {}",
                                base::size_text(workings_->config()->largest_deposit),
                                base::size_text(*announced.size))});
  }
  const bool handed_in = name->starts_with(kIntakeFolder);
  if (handed_in) {
    direction = Direction::kIntake;
    name->erase(0, kIntakeFolder.size());
  } else if (name->starts_with(kBackupsFolder)) {
    // In the form of its name for reading back.
    *name = backup_name(name->substr(kBackupsFolder.size())).name;
  }
  if (auto allowed = allow(asker, handed_in ? Action::kHandIn : Action::kDeposit, *name);
      !allowed) {
    return refused(allowed.error());
  }
  auto grant = handed_in
                   ? open_hand_in(asker, std::move(place), *name, std::move(announced))
                   : open_backup(asker, std::move(place), *name, std::move(announced));
  if (!grant) return refused(grant.error());
  return grant;
}

base::Outcome<WriteGrant> Gate::open_backup(const Asker& asker, Place place,
                                            const std::string& name,
                                            Announced announced) {
  backup::Revision revision;
  revision.address = asker.peer.address.text();
  const auto now = workings_->clock.wall();
  // Nobody knows how much it has sent.
  const auto sent =
      workings_->keeps_uploads()
          ? base::Outcome<std::uint64_t>(0)
          : workings_->repository.backups.bytes_since(revision.address, now - kDay);
  if (!sent) return base::refuse(sent.error());
  if (*sent + announced.size.value_or(0) > workings_->config()->deposited_per_day) {
    return base::refuse(
        Kind::kBusy,
        fmt::format("uploads from {}: {} in the last 24 hours, limit {}",
                    revision.address, base::size_text(*sent),
                    base::size_text(workings_->config()->deposited_per_day)));
  }
  if (auto may = workings_->deposit_rates.one_more(
          asker.peer.address, *workings_->config(), workings_->clock.now());
      !may) {
    return base::refuse(may.error());
  }
  revision.holder = workings_->repository.inventory.holder_of(asker.peer.address);
  revision.name = name;
  revision.announced = announced.size;
  revision.protocol = asker.protocol;
  revision.account = asker.account;
  DepositLimits limits;
  if (auto room = limits_of(revision, asker.peer.address, limits); !room)
    return base::refuse(room.error());
  auto start = transfer_of(asker, Direction::kDeposit, name, announced);
  start.device = workings_->repository.inventory.device_at(asker.peer.address);
  text::ContentTeller content;
  auto arrival = announced.goes_on
                     ? go_on(revision, announced, content)
                     : workings_->repository.folder.arrive(
                           {"backup", revision.address, name}, now,
                           announced.size.value_or(0), may_encrypt(revision));
  if (!arrival) return base::refuse(arrival.error());
  if (arrival->size() > 0) {
    start.note = fmt::format("resumed at byte {}{}{}", arrival->size(),
                             asker.remark.empty() ? "" : "; ", asker.remark);
  }
  return WriteGrant(std::make_unique<BackupWrite>(
      *workings_, std::move(revision), asker.peer.address, std::move(announced), limits,
      content, std::move(*arrival),
      Transfer(*workings_, std::move(start), std::move(place))));
}

base::Outcome<void> Gate::quotas_of(const backup::Revision& revision,
                                    const base::Address& from, DepositLimits& limits) {
  const auto quota = workings_->repository.inventory.quota_of(revision.holder)
                         .value_or(workings_->config()->kept_per_device);
  if (quota != 0) {
    const auto kept = workings_->repository.backups.bytes_of(revision.holder);
    if (!kept) return base::refuse(kept.error());
    limits.quota = quota;
    limits.kept = *kept;
    if (revision.holder.device == 0 && !from.is_v4()) {
      const auto beside = workings_->kept_by_network.of(
          from, workings_->repository.backups, workings_->clock.now());
      if (!beside) return base::refuse(beside.error());
      limits.kept_of_network = *beside;
      limits.quota_of_network = quota > UINT64_MAX / kAddressesOfNetwork
                                    ? UINT64_MAX
                                    : quota * kAddressesOfNetwork;
    }
    return limits.check_quota(revision.announced.value_or(0));
  }
  return {};
}

// The remaining limits; a refusal if the announced size is over them.
base::Outcome<void> Gate::limits_of(const backup::Revision& revision,
                                    const base::Address& from, DepositLimits& limits) {
  const auto announced = revision.announced.value_or(0);
  if (!workings_->keeps_uploads()) {
    if (auto room = quotas_of(revision, from, limits); !room) return room;
  }
  const auto& treatment = workings_->repository.rules.treatment;
  limits.named = treatment.kind_by_name(revision.name);
  limits.configuration_up_to = treatment.configuration_up_to();
  const auto reserve = workings_->config()->reserve;
  limits.only_configurations =
      reserve != 0 && workings_->repository.folder.room() < reserve + announced;
  if (!limits.only_configurations) return {};
  const auto kind =
      limits.named == backup::FileKind::kUnknown && !workings_->recognised(revision)
          ? backup::FileKind::kConfiguration
          : limits.named;
  if (kind != backup::FileKind::kConfiguration ||
      announced > limits.configuration_up_to) {
    return base::refuse(only_configurations());
  }
  return {};
}

// Anything that may turn out to be a configuration is encrypted from its first byte on.
bool Gate::may_encrypt(const backup::Revision& revision) const {
  const auto& treatment = workings_->repository.rules.treatment;
  const auto named = treatment.kind_by_name(revision.name);
  return named == backup::FileKind::kConfiguration ||
         (named == backup::FileKind::kUnknown && !workings_->recognised(revision) &&
          revision.announced.value_or(0) <= treatment.configuration_up_to());
}

// The sender's newest upload under the name, if it was interrupted at the sender's
// offset.
base::Outcome<store::Arrival> Gate::go_on(backup::Revision& revision,
                                          const Announced& announced,
                                          text::ContentTeller& content) {
  const auto shown = base::printable(revision.name, 80);
  const auto last = workings_->repository.backups.newest(revision.holder, revision.name);
  if (!last) return base::refuse(last.error());
  const store::ArrivalLabel label{"backup", revision.address, revision.name};
  if (!*last && !announced.behind) {
    return workings_->repository.folder.arrive(label, workings_->clock.wall(), 0,
                                               may_encrypt(revision));
  }
  if (!*last) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("nothing of '{}' has arrived from {}; send the whole file", shown,
                    revision.address));
  }
  const auto& broken = **last;
  if (broken.complete) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("cannot append to '{}': revision {} is complete; "
                                    "send the whole file, and it becomes revision {}",
                                    shown, broken.number, broken.number + 1));
  }
  if (broken.account != revision.account) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("'{}' was begun {}; only that one can resume it", shown,
                    broken.account.empty()
                        ? "without an account"
                        : fmt::format("with account '{}'", broken.account)));
  }
  if (broken.partial_file.empty()) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("the partial '{}' is no longer kept; send the whole file", shown));
  }
  if (announced.behind && *announced.behind != broken.size) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("cannot resume '{}' at byte {}; resume at {}, or send the whole file",
                    shown, *announced.behind, broken.size));
  }
  if (!really_there(broken)) {
    return base::refuse(Kind::kInvalid,
                        fmt::format("the partial '{}' may be incomplete on the server's "
                                    "disk; send the whole file",
                                    shown));
  }
  auto arrival = workings_->repository.folder.arrive_again(
      {broken.partial_file, broken.size, broken.partial_sha256}, label,
      workings_->clock.wall(), may_encrypt(revision),
      [&](base::ByteView bytes) { content.update(bytes); });
  if (!arrival && arrival.error().kind == Kind::kCorrupt) {
    workings_->log.error("a partial file is damaged and can't be resumed",
                         {{"file", broken.partial_file}});
    // So that nobody tries it again; the file stays for a person to look at.
    if (auto done =
            workings_->repository.backups.distrust_partial_file(broken.partial_file);
        !done) {
      return base::refuse(done.error());
    }
    return base::refuse(
        Kind::kInvalid,
        fmt::format(
            "the partial '{}' is damaged on the server's disk; send the whole file",
            shown));
  }
  if (!arrival) return arrival;
  // Its record stays, as that of a resumed upload.
  if (auto done = workings_->repository.backups.forget_partial_file(broken.partial_file);
      !done) {
    return base::refuse(done.error());
  }
  return arrival;
}

// Nobody is told to resume after bytes that may have been lost.
bool Gate::really_there(const backup::Revision& broken) const {
  return !broken.partial_file.empty() && !broken.partial_sha256.empty() &&
         workings_->repository.folder.partial_size(broken.partial_file) == broken.size;
}

base::Outcome<std::optional<OwnUpload>> Gate::own_upload(const Asker& asker,
                                                         std::string_view typed_name) {
  using Own = std::optional<OwnUpload>;
  auto name = base::visible_name(typed_name);
  if (!name) return base::refuse(name.error());
  if (name->starts_with(kIntakeFolder)) return Own();
  if (name->starts_with(kBackupsFolder)) {
    *name = backup_name(name->substr(kBackupsFolder.size())).name;
  }
  if (auto allowed = would_allow(asker, Action::kDeposit, *name); !allowed) {
    return base::refuse(allowed.error());
  }
  const auto last = workings_->repository.backups.newest(
      workings_->repository.inventory.holder_of(asker.peer.address), *name);
  if (!last) return base::refuse(last.error());
  if (!*last || (*last)->account != asker.account) return Own();
  if (!(*last)->complete && !really_there(**last)) return Own();
  return Own({(*last)->size, (*last)->complete, (*last)->arrived_at});
}

base::Outcome<WriteGrant> Gate::open_hand_in(const Asker& asker, Place place,
                                             const std::string& name,
                                             Announced announced) {
  if (announced.goes_on && announced.behind) {
    return base::refuse(Kind::kInvalid,
                        "interrupted hand-ins are not kept; send the whole file");
  }
  auto start = transfer_of(asker, Direction::kIntake, name, announced);
  start.device = workings_->repository.inventory.device_at(asker.peer.address);
  IntakeOptions options;
  options.name = name;
  options.by = {asker.account};
  options.size = announced.size;
  auto intake = open_intake(std::move(options), std::move(start), std::move(place));
  if (!intake) return base::refuse(intake.error());
  WriteGrant grant(std::make_unique<HandedFile>(
      *workings_, asker.account, std::move(announced), std::move(*intake)));
  grant.set_slow_to_commit();
  return grant;
}

base::Outcome<ImageIntake> Gate::open_intake(IntakeOptions options) {
  TransferView start;
  start.direction = Direction::kIntake;
  start.protocol = "manage";
  start.request = options.by.request;
  start.peer = options.by.name;
  start.from = options.by.from;
  start.total = options.size;
  return open_intake(std::move(options), std::move(start), std::nullopt);
}

base::Outcome<ImageIntake> Gate::open_intake(IntakeOptions options, TransferView start,
                                             std::optional<Place> place) {
  if (workings_->mirror) {
    return base::refuse(
        Kind::kDenied,
        fmt::format("this server is a mirror; add images at {}", workings_->mirror->of));
  }
  const auto name = base::visible_name(options.name);
  if (!name) return base::refuse(name.error());
  if (auto free = repository::not_reserved(*name); !free) {
    return base::refuse(free.error());
  }
  auto facts = facts_given(options);
  if (!facts) return base::refuse(facts.error());
  auto arrival = workings_->repository.folder.arrive({"image", options.by.name, *name},
                                                     workings_->clock.wall(),
                                                     options.size.value_or(0));
  if (!arrival) return base::refuse(arrival.error());
  options.name = *name;
  start.name = *name;
  return ImageIntake(*workings_, std::move(options), std::move(*facts),
                     std::move(*arrival),
                     Transfer(*workings_, std::move(start), std::move(place)));
}

}  // namespace vantro::gate
