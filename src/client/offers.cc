#include "client/offers.h"

#include <fmt/format.h>
#include <map>

#include "api/catalogue.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/render.h"
#include "crypto/checksum_list.h"

namespace vantro::client {
namespace {

using Align = Table::Align;

struct OfferOptions {
  std::string name;           // what devices type; add: empty is the image's name
  api::OfferChanges changes;  // until: as it was typed
  bool any_platform = false;
};

// A typed time in the API's form.
Done settle_until(const Context& context, std::optional<std::string>& until) {
  if (!until) return {};
  auto time = iso_of(context, *until);
  if (!time) return tl::unexpected(time.error());
  until = std::move(*time);
  return {};
}

void write_offer(const Terminal& terminal, const api::OfferMade& made) {
  terminal.write(fmt::format("On offer: {}\n  image    {}, {}\n  SHA-256  {}\n",
                             offer_text(made.offer), shown(made.offer.image),
                             base::size_text(made.offer.size), made.offer.sha256));
  for (const auto& other : made.overlapping) {
    terminal.write(
        fmt::format("  beside   {}, which gives {}; the narrower network wins\n",
                    offer_text(other), shown(other.image)));
  }
}

std::string limits_of(const api::Offer& offer) {
  auto text = offer_text(offer);
  text.erase(0, shown(offer.name).size());
  return text.empty() ? "" : text.substr(1);
}

Done add_offer(const Context& context, const OfferOptions& options) {
  auto until = options.changes.until;
  if (auto settled = settle_until(context, until); !settled) return settled;
  const auto& changes = options.changes;
  return show_answer(context,
                     context.api.call(api::kAddOffer, {},
                                      {changes.image.value_or(""), options.name,
                                       changes.to.value_or(""), changes.over.value_or(""),
                                       until.value_or(""), options.any_platform}),
                     write_offer);
}

Done change_offer(const Context& context, const OfferOptions& options) {
  auto changes = options.changes;
  if (auto settled = settle_until(context, changes.until); !settled) return settled;
  if (api::given_texts(changes).empty() ||
      (changes.of && api::given_texts(changes).size() == 1)) {
    return wrong_use(
        "nothing to change: give --image, --networks, --over, --until or --any-platform");
  }
  return show_answer(
      context, context.api.call(api::kChangeOffer, {options.name}, changes), write_offer);
}

Done end_offer(const Context& context, const OfferOptions& options) {
  return show(
      context, api::kEndOffer, {options.name, options.changes.of},
      [](const Terminal& terminal, const api::Offer& offer) {
        terminal.write(fmt::format("No longer on offer: {}\n", offer_text(offer)));
      });
}

struct ListOptions {
  std::string at;
  api::OffersAsked asked;
  std::int64_t limit = 1000;
};

Done list_offers(const Context& context, const ListOptions& options) {
  auto asked = options.asked;
  // Programs that read rows get all of them: nothing there would tell of the others.
  if (!context.view.csv && !context.view.json_lines) asked.limit = options.limit;
  const auto& at = options.at;
  if (!at.empty()) {
    auto time = past_iso(context, at);
    if (!time) return tl::unexpected(time.error());
    asked.at = std::move(*time);
  }
  return show(
      context, api::kOffers, asked,
      [&](const Terminal& terminal, const api::OfferList& all) {
        Table table({{"NAME"},
                     {"IMAGE"},
                     {"SIZE", Table::Align::kRight, 1},
                     {"SINCE", Table::Align::kLeft, 2},
                     {"LIMITS"}});
        for (const auto& offer : all.offers) {
          table.add(
              {{offer.name},
               {offer.image},
               {base::size_text(offer.size)},
               {shown_time(offer.since)},
               {limits_of(offer), offer.held_back.empty() ? Tone::kPlain : Tone::kBad}});
        }
        write_or(table, terminal,
                 !asked.text.empty() ? "No name on offer contains this."
                 : at.empty()
                     ? "Nothing is on offer; add an image with: vantro image add FILE"
                     : "Nothing was on offer then.");
        if (all.in_all > all.offers.size()) {
          terminal.write(
              fmt::format("{} of {} shown; filter with --name, or raise "
                          "--limit.\n",
                          all.offers.size(), all.in_all));
        }
      });
}

Done show_offer_history(const Context& context, const std::string& name) {
  return show(context, api::kOfferHistory, {name},
              [](const Terminal& terminal, const api::OfferList& all) {
                Table table({{"SINCE"},
                             {"UNTIL"},
                             {"IMAGE"},
                             {"SHA-256", Table::Align::kLeft, 1},
                             {"REASON"}});
                for (const auto& offer : all.offers) {
                  table.add({{shown_time(offer.since)},
                             {offer.ended_at ? shown_time(*offer.ended_at) : "now"},
                             {offer.image},
                             {offer.sha256.substr(0, 16) + "..."},
                             {offer.ended_at ? offer.why : limits_of(offer)}});
                }
                table.write(terminal);
              });
}

Done write_checksums(const Context& context, const api::ChecksumsAsked& asked) {
  const Terminal terminal(stdout);
  std::string text;
  const auto done =
      context.api.download(api::kChecksums.target(asked), [&](base::ByteView bytes) {
        if (context.json) {
          text += base::as_text(bytes);
        } else {
          terminal.write(base::as_text(bytes));
        }
        return true;
      });
  if (!done || !context.json) return done;
  JsonList list(terminal, "checksums");
  // An empty list is none.
  if (const auto read = crypto::parse_checksum_list(text); read) {
    for (const auto& one : read->checksums) {
      list.add(api::json_of(std::map<std::string, std::string>{
          {"name", one.name}, {asked.algorithm, one.expected.hex}}));
    }
  }
  list.end();
  return {};
}

void limit_values(const Command& command, api::OfferChanges& changes) {
  command.value("--networks", changes.to,
                "Offer it to this network only; all: to everybody");
  command.value("--over", changes.over,
                "Offer it over these protocols only; all: over every protocol");
  until_value(command, changes.until);
}

void which_value(const Command& command, api::OfferChanges& changes) {
  command.value("--offered-to", changes.of,
                "Which offer, where the name is on offer to several networks");
}

}  // namespace

void offer_commands(const Command& top) {
  const auto offer = top.group("offer", "Manage the names under which devices can fetch");
  {
    auto& o = offer.keep<OfferOptions>();
    const auto add = offer.add("add", "Offer an image to devices",
                               [&o](const Context& c) { return add_offer(c, o); });
    add.value("IMAGE", o.changes.image, "Image to offer").required();
    add.value(
        "--name", o.name,
        "Name that devices type, with folders if wanted (default: the image's name)");
    limit_values(add, o.changes);
    add.flag("--any-platform", o.any_platform, "Allow devices of other platforms");
    add.example(
           "offer add causeway4-system-7.6.0.img --name fixed/boot.bin --networks "
           "192.0.2.0/24 --until 4h")
        .related({"offer list", "offer end", "location"});
  }
  {
    struct Change {
      OfferOptions options;
      bool any = false, own = false;
    };
    auto& o = offer.keep<Change>();
    const auto change = offer.add("change", "Change the image of a name, or its limits",
                                  [&o](const Context& c) {
                                    auto options = o.options;
                                    if (o.any) options.changes.any_platform = "yes";
                                    if (o.own) options.changes.any_platform = "no";
                                    return change_offer(c, options);
                                  });
    change.value("NAME", o.options.name, "Name that devices type").required();
    change.value("--image", o.options.changes.image, "New image of the name");
    limit_values(change, o.options.changes);
    const auto any =
        change.flag("--any-platform", o.any, "Allow devices of other platforms");
    change.flag("--own-platform", o.own, "Allow devices of the image's platforms only")
        .excludes(any);
    which_value(change, o.options.changes);
    change.example("offer change fixed/boot.bin --image causeway4-system-7.6.1.img")
        .related({"offer history", "offer list"});
  }
  {
    auto& o = offer.keep<OfferOptions>();
    const auto end = offer.add("end", "End an offer now",
                               [&o](const Context& c) { return end_offer(c, o); });
    end.value("NAME", o.name, "Name that devices type").required();
    which_value(end, o.changes);
    end.example("offer end fixed/boot.bin").related({"image withdraw", "offer list"});
  }
  {
    auto& o = offer.keep<ListOptions>();
    const auto list = offer.add("list", "List what devices can type, and what they get",
                                [&o](const Context& c) { return list_offers(c, o); });
    list.value("--at", o.at, "Show what was on offer at this time");
    list.value("--name", o.asked.text, "Only names that contain this");
    list.value("--limit", o.limit,
               "Show at most this many rows; not with --csv and --jsonl")
        .show_default()
        .range(1, INT64_MAX);
    list.shows_list()
        .example("offer list")
        .example("offer list --at yesterday")
        .example("offer list --name causeway4")
        .related({"image list", "location", "offer history"});
  }
  {
    auto& name = offer.keep<std::string>();
    const auto history =
        offer.add("history", "Show what a name stood for, newest first",
                  [&name](const Context& c) { return show_offer_history(c, name); });
    history.value("NAME", name, "Name that devices type").required();
    history.shows_list().example("offer history fixed/boot.bin").related({"ledger"});
  }
  auto& o = offer.keep<api::ChecksumsAsked>();
  const auto checksums =
      offer.add("checksums", "Print a checksum list of all offers",
                [&o](const Context& c) { return write_checksums(c, o); });
  checksums.value("--algorithm", o.algorithm, "md5, sha1, sha256 or sha512")
      .show_default();
  checksums.example("offer checksums > SHA256SUMS").related({"image find"});
}

}  // namespace vantro::client
