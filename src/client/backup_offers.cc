#include "client/backup_offers.h"

#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

struct OfferOptions {
  api::RevisionAsked asked;
  api::BackupOfferWanted wanted;
  std::optional<std::string> until;  // as it was typed
};

struct AdoptOptions {
  api::RevisionAsked asked;
  api::AdoptWanted wanted;
};

void write_offer(const Terminal& terminal, const api::BackupOffer& offer) {
  terminal.write(fmt::format("{}: revision {} of {} from {}, {}\n", shown(offer.name),
                             offer.revision, shown(offer.file), shown(offer.holder),
                             exact_size(offer.size)));
  terminal.write(fmt::format("  on offer to {} until {}\n", shown(offer.to),
                             shown_time(offer.until)));
  if (!offer.caution.empty()) {
    terminal.write(terminal.toned(
        fmt::format("  CAUTION: {}\n", shown(offer.caution, 400)), Tone::kBad));
  }
}

Done offer_backup(const Context& context, const OfferOptions& options) {
  auto wanted = options.wanted;
  if (options.until) {
    auto until = iso_of(*options.until);
    if (!until) return tl::unexpected(until.error());
    wanted.until = std::move(*until);
  }
  return show_answer(context, context.api.call(api::kOfferBackup, options.asked, wanted),
                     write_offer);
}

Done list_backup_offers(const Context& context) {
  return show(context, api::kBackupOffers, {},
              [](const Terminal& terminal, const api::BackupOfferList& told) {
                Table table({{"NAME"},
                             {"TO"},
                             {"DEVICE"},
                             {"FILE"},
                             {"REVISION", Align::kRight},
                             {"SIZE", Align::kRight},
                             {"UNTIL"}});
                for (const auto& one : told.offers) {
                  table.add({{one.name},
                             {one.to},
                             {one.holder},
                             {one.file},
                             {std::to_string(one.revision)},
                             {base::size_text(one.size)},
                             {shown_time(one.until)}});
                }
                write_or(table, terminal, "No backup is on offer.");
              });
}

Done end_backup_offer(const Context& context, const std::string& name) {
  return show(context, api::kEndBackupOffer, {name},
              [&](const Terminal& terminal, const api::BackupOfferEnded&) {
                terminal.write(fmt::format("{}: not on offer any more\n", shown(name)));
              });
}

Done adopt_backup(const Context& context, const AdoptOptions& options) {
  return show_answer(
      context, context.api.call(api::kAdoptBackup, options.asked, options.wanted),
      [](const Terminal& terminal, const api::ImageAdded& added) {
        terminal.write(
            fmt::format("{}: {}, {}\n", shown(added.image.name),
                        added.result == "already-there" ? "known already" : "taken in",
                        exact_size(added.image.size)));
        for (const auto& finding : added.findings) {
          terminal.write("  " + shown(finding, 400) + "\n");
        }
        terminal.write(added.offer.empty()
                           ? "  not on offer" +
                                 (added.note.empty() ? std::string()
                                                     : ": " + shown(added.note, 400)) +
                                 "\n"
                           : "  devices type: " + shown(added.offer) + "\n");
      });
}

}  // namespace

void backup_offer_commands(const Command& backup) {
  const auto offer =
      backup.group("offer", "put one revision on offer to one device, for a time");
  {
    auto& o = offer.keep<OfferOptions>();
    const auto add = offer.add("add", "under a name that the device types",
                               [&o](const Context& c) { return offer_backup(c, o); });
    revision_values(add, o.asked);
    add.value("--as", o.wanted.name, "the name").required();
    add.value("--to", o.wanted.to,
              "another device, or an address (default: whose backup it is)");
    add.value("--until", o.until,
              "a time, or a span such as 4h; at most 30d (default: a day)");
  }
  offer.add("list", "what is on offer so", list_backup_offers);
  {
    auto& name = offer.keep<std::string>();
    offer
        .add("end", "before its time is over",
             [&name](const Context& c) { return end_backup_offer(c, name); })
        .value("NAME", name, "the name that the device types")
        .required();
  }
  auto& o = backup.keep<AdoptOptions>();
  const auto adopt =
      backup.add("adopt", "take an image that a device sent into the catalogue",
                 [&o](const Context& c) { return adopt_backup(c, o); });
  revision_values(adopt, o.asked);
  adopt.value("--as", o.wanted.name, "the image's name (default: the name's last part)");
  adopt.fields(o.wanted);
  intake_flags(adopt, o.wanted);
}

}  // namespace vantro::client
