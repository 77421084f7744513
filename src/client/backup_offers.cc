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
    auto until = iso_of(context, *options.until);
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
                             {"OFFERED TO"},
                             {"DEVICE", Table::Align::kLeft, 1},
                             {"FILE"},
                             {"REVISION", Table::Align::kRight},
                             {"SIZE", Table::Align::kRight, 2},
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
                terminal.write(fmt::format("{}: no longer on offer\n", shown(name)));
              });
}

Done adopt_backup(const Context& context, const AdoptOptions& options) {
  return show_answer(
      context, context.api.call(api::kAdoptBackup, options.asked, options.wanted),
      [](const Terminal& terminal, const api::ImageAdded& added) {
        terminal.write(
            fmt::format("{}: {}, {}\n", shown(added.image.name),
                        added.result == "already-there" ? "known already" : "added",
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
      backup.group("offer", "Offer a revision to one device for a limited time");
  {
    auto& o = offer.keep<OfferOptions>();
    const auto add = offer.add("add", "Offer one revision to a device",
                               [&o](const Context& c) { return offer_backup(c, o); });
    revision_values(add, o.asked);
    add.value("--name", o.wanted.name, "Name that the device types").required();
    add.value("--device", o.wanted.to,
              "Device that may fetch it (default: the one that sent it)");
    add.value("--until", o.until, "End it at this time, within 30 days (default: a day)");
    add.example(
           "backup offer add tidegate-rtr tidegate-rtr.cfg --name restore.cfg --until 4h")
        .related({"backup write", "rescue open"});
  }
  offer.add("list", "List the revisions on offer", list_backup_offers)
      .shows_list()
      .example("backup offer list")
      .related({"offer list"});
  {
    auto& name = offer.keep<std::string>();
    const auto end = offer.add("end", "End an offer now", [&name](const Context& c) {
      return end_backup_offer(c, name);
    });
    end.value("NAME", name, "Name that the device types").required();
    end.example("backup offer end restore.cfg");
  }
  auto& o = backup.keep<AdoptOptions>();
  const auto adopt =
      backup.add("adopt", "Add an image that a device sent to the catalogue",
                 [&o](const Context& c) { return adopt_backup(c, o); });
  revision_values(adopt, o.asked);
  adopt.value("--name", o.wanted.name,
              "Name of the image (default: the last part of the file's name)");
  adopt.fields(o.wanted);
  intake_flags(adopt, o.wanted);
  adopt.example("backup adopt tidegate-rtr running.img --name causeway4-system-7.4.2.img")
      .related({"image add", "backup list"});
}

}  // namespace vantro::client
