#include "client/offers.h"

#include <chrono>
#include <fmt/format.h>
#include <thread>

#include "api/catalogue.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using nlohmann::json;
using Align = Table::Align;

Done add_limits(json& body, const OfferOptions& options) {
  if (options.to) body["to"] = *options.to;
  if (options.over) body["over"] = *options.over;
  if (options.of) body["of"] = *options.of;
  if (options.until) {
    auto time = iso_of(*options.until);
    if (!time) return tl::unexpected(time.error());
    body["until"] = std::move(*time);
  }
  return {};
}

void write_offer(const Terminal& terminal, const json& answer) {
  const auto made = answer.get<api::OfferMade>();
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

std::string part_text(const api::KitPart& part) {
  auto text = shown(part.image);
  if (!part.role.empty() || !part.version.empty()) {
    text += fmt::format(" ({}{}{})", part.role,
                        part.role.empty() || part.version.empty() ? "" : " ",
                        shown(part.version));
  }
  return part.remark.empty() ? text : text + ": " + shown(part.remark);
}

void write_kit(const Terminal& terminal, const json& answer) {
  const auto kit = answer.get<api::Kit>();
  terminal.write(terminal.toned(shown(kit.name), Tone::kHead) + "\n");
  for (std::size_t i = 0; i < kit.parts.size(); ++i) {
    terminal.write(fmt::format("  {}. {}\n", i + 1, part_text(kit.parts[i])));
  }
  if (!kit.remarks.empty()) terminal.write("  " + shown(kit.remarks) + "\n");
}

}  // namespace

Done add_offer(const Context& context, const OfferOptions& options) {
  json body{{"image", options.image}, {"name", options.name}};
  if (auto added = add_limits(body, options); !added) return added;
  return show_answer(context, context.api.send("POST", "/v1/offers", body), write_offer);
}

Done change_offer(const Context& context, const OfferOptions& options) {
  json body = json::object();
  if (!options.image.empty()) body["image"] = options.image;
  if (auto added = add_limits(body, options); !added) return added;
  if (body.empty() || (body.size() == 1 && body.contains("of"))) {
    return wrong_use("nothing to change: give --image, --to, --over or --until");
  }
  return show_answer(
      context, context.api.send("PATCH", "/v1/offers/" + url_escape(options.name), body),
      write_offer);
}

Done end_offer(const Context& context, const OfferOptions& options) {
  auto path = "/v1/offers/" + url_escape(options.name);
  if (options.of) path += "?of=" + url_escape(*options.of);
  return show_answer(context, context.api.send("DELETE", path),
                     [](const Terminal& terminal, const json& answer) {
                       terminal.write(fmt::format("No longer on offer: {}\n",
                                                  offer_text(answer.get<api::Offer>())));
                     });
}

Done list_offers(const Context& context, const std::string& at) {
  std::string path = "/v1/offers";
  if (!at.empty()) {
    const auto time = iso_of(at);
    if (!time) return tl::unexpected(time.error());
    path += "?at=" + url_escape(*time);
  }
  return show(context, path, [&](const Terminal& terminal, const json& answer) {
    Table table(
        {{"DEVICES TYPE"}, {"IMAGE"}, {"SIZE", Align::kRight}, {"SINCE"}, {"LIMITS"}});
    for (const auto& offer : list_of<api::Offer>(answer, "offers")) {
      table.add(
          {{offer.name},
           {offer.image},
           {base::size_text(offer.size)},
           {shown_time(offer.since)},
           {limits_of(offer), offer.held_back.empty() ? Tone::kPlain : Tone::kBad}});
    }
    write_or(table, terminal,
             at.empty()
                 ? "Nothing is on offer. Take an image in with: vantro image add FILE"
                 : "Nothing was on offer then.");
  });
}

Done show_offer_history(const Context& context, const std::string& name) {
  return show(context, "/v1/offers/" + url_escape(name) + "/history",
              [](const Terminal& terminal, const json& answer) {
                Table table({{"FROM"}, {"TO"}, {"STOOD FOR"}, {"SHA-256"}, {"ENDED AS"}});
                for (const auto& offer : list_of<api::Offer>(answer, "offers")) {
                  table.add({{shown_time(offer.since)},
                             {offer.ended_at ? shown_time(*offer.ended_at) : "now"},
                             {offer.image},
                             {offer.sha256.substr(0, 16) + "..."},
                             {offer.ended_at ? offer.why : limits_of(offer)}});
                }
                table.write(terminal);
              });
}

Done write_checksums(const Context& context, const std::string& algorithm) {
  const Terminal terminal(stdout);
  return context.api.download("/v1/checksums?algorithm=" + url_escape(algorithm),
                              [&](base::ByteView bytes) {
                                terminal.write(base::as_text(bytes));
                                return true;
                              });
}

Done add_kit(const Context& context, const KitOptions& options) {
  return show_answer(context,
                     context.api.send("POST", "/v1/kits",
                                      {{"name", options.name},
                                       {"images", options.images},
                                       {"remarks", options.remarks},
                                       {"part_remarks", options.part_remarks}}),
                     write_kit);
}

Done list_kits(const Context& context) {
  return show(context, "/v1/kits", [](const Terminal& terminal, const json& answer) {
    Table table({{"KIT"}, {"PARTS IN THEIR ORDER"}});
    for (const auto& kit : list_of<api::Kit>(answer, "kits")) {
      for (std::size_t i = 0; i < kit.parts.size(); ++i) {
        table.add({{i == 0 ? kit.name : "", Tone::kHead},
                   {fmt::format("{}. {}", i + 1, part_text(kit.parts[i]))}});
      }
    }
    write_or(table, terminal,
             "No kits. Make one of images that belong together with: vantro kit add NAME "
             "IMAGE IMAGE...");
  });
}

Done show_kit(const Context& context, const std::string& name) {
  return show(context, "/v1/kits/" + url_escape(name), write_kit);
}

Done remove_kit(const Context& context, const std::string& name) {
  return show_answer(
      context, context.api.send("DELETE", "/v1/kits/" + url_escape(name)),
      [&](const Terminal& terminal, const json&) {
        terminal.write(fmt::format("{}: removed; its images stay\n", shown(name)));
      });
}

namespace {

Result<json> begin_verification(const Context& context, const VerifyOptions& options) {
  json body = json::object();
  if (!options.image.empty()) body["image"] = options.image;
  if (options.unread_days > 0) body["unread_days"] = options.unread_days;
  if (options.rate) {
    const auto rate = base::parse_size(*options.rate);
    if (!rate) {
      return wrong_use(
          fmt::format("--rate: '{}' is no size such as \"32 MiB\" (for each "
                      "second), nor 0 for no limit",
                      shown(*options.rate)));
    }
    body["bytes_per_second"] = *rate;
  }
  return context.api.send("POST", "/v1/verification", body);
}

// Until it has ended; the last answer.
Result<json> follow_verification(const Context& context) {
  constexpr std::chrono::milliseconds kPause{200};
  auto answer = context.api.get("/v1/verification");
  if (!answer || !answer->value("running", false)) return answer;
  ProgressBar bar("reading", answer->value("bytes", std::uint64_t{0}));
  while (answer && answer->value("running", false)) {
    bar.advance(answer->value("bytes_read", std::uint64_t{0}));
    std::this_thread::sleep_for(kPause);
    answer = context.api.get("/v1/verification");
  }
  return answer;
}

}  // namespace

Done verify(const Context& context, const VerifyOptions& options) {
  Result<json> answer = json();
  bool nothing_due = false;
  if (!options.follow_only) {
    answer = begin_verification(context, options);
    if (!answer) return tl::unexpected(answer.error());
    nothing_due = answer->value("contents", std::uint64_t{0}) == 0;
  }
  if (!nothing_due && !options.no_wait) answer = follow_verification(context);
  bool damaged = false;
  const auto done =
      show_answer(context, answer, [&](const Terminal& terminal, const json& told) {
        const auto state = told.get<api::Verification>();
        damaged = !state.damages.empty();
        if (nothing_due) {
          terminal.write("Nothing to read: all was read lately enough.\n");
          return;
        }
        if (state.began_at.empty()) {
          terminal.write("Nothing was verified since the server's start.\n");
          return;
        }
        if (state.running) {
          terminal.write(
              fmt::format("Reading {} stored files, {}. Follow it with: vantro "
                          "verify --follow\n",
                          state.contents, base::size_text(state.bytes)));
          return;
        }
        terminal.write(fmt::format("{} of {} stored files read, {}.\n",
                                   state.contents_read, state.contents,
                                   base::size_text(state.bytes_read)));
        if (state.locked > 0) {
          terminal.write(terminal.toned(
              fmt::format("{} are encrypted with keys that the server has not got, and "
                          "were not read.\n",
                          state.locked),
              Tone::kBad));
        }
        for (const auto& one : state.damages) {
          terminal.write(
              terminal.toned(fmt::format("DAMAGED  {}: {}\n         SHA-256 {}\n",
                                         shown(one.names), shown(one.found), one.sha256),
                             Tone::kBad));
        }
        if (state.damaged > state.damages.size()) {
          terminal.write(terminal.toned(
              fmt::format("{} more files are damaged; see the server's log.\n",
                          state.damaged - state.damages.size()),
              Tone::kBad));
        }
        if (!state.trouble.empty()) {
          terminal.write(terminal.toned(shown(state.trouble), Tone::kBad) + "\n");
        } else if (!damaged) {
          terminal.write(terminal.toned(state.locked > 0 ? "What was read is whole."
                                                         : "All of it is whole.",
                                        Tone::kGood) +
                         "\n");
        }
      });
  if (!done) return done;
  if (context.json) damaged = !answer->value("damages", json::array()).empty();
  if (damaged) return tl::unexpected(Failure{ExitCode::kChecksum, ""});
  return {};
}

}  // namespace vantro::client
