#include "client/render.h"

#include <fmt/format.h>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"

namespace vantro::client {
namespace {

std::string progress(const api::Transfer& transfer) {
  if (!transfer.total || transfer.state == "complete") {
    return base::size_text(transfer.bytes);
  }
  const double part = *transfer.total == 0 ? 1.0
                                           : static_cast<double>(transfer.bytes) /
                                                 static_cast<double>(*transfer.total);
  return fmt::format("{} of {} ({:.0f}%)", base::size_text(transfer.bytes),
                     base::size_text(*transfer.total), part * 100);
}

std::string remaining(const api::Transfer& transfer) {
  if (transfer.state != "running") {
    return "took " +
           base::duration_text(static_cast<double>(transfer.duration_ms) / 1000);
  }
  if (!transfer.seconds_left) return "unknown";
  return base::duration_text(*transfer.seconds_left);
}

// TCP resends invisibly.
bool counts_packets(const api::Transfer& t) { return t.protocol == "tftp"; }

std::string peer_of(const api::Transfer& t) {
  return who_text(t.peer, t.device, t.account);
}

std::string outcome_of(const api::Transfer& t);

std::string state_of(const api::Transfer& t) {
  const auto outcome = outcome_of(t);
  return t.caution.empty() ? outcome : fmt::format("CAUTION: {}; {}", t.caution, outcome);
}

std::string outcome_of(const api::Transfer& t) {
  if (t.stalled_ms) {
    const auto stalled =
        "stalled for " + base::duration_text(static_cast<double>(*t.stalled_ms) / 1000);
    if (!counts_packets(t)) return stalled;
    return stalled + ", asked again " + base::times_text(t.unanswered);
  }
  if (t.state == "complete") return "complete: every byte acknowledged";
  return t.why.empty() ? t.state : t.state + ": " + t.why;
}

const char* verb(const std::string& direction) {
  if (direction == "fetch") return "fetches";
  if (direction == "deposit") return "sends";
  if (direction == "push") return "is sent";
  return "hands in";
}

}  // namespace

std::string shown_time(const std::string& iso) {
  const auto time = base::parse_iso_time(iso);
  return time ? base::local_time(*time) : iso;
}

std::string exact_size(std::uint64_t bytes) {
  if (bytes < 1024) return fmt::format("{} bytes", bytes);
  return fmt::format("{} ({} bytes)", base::size_text(bytes), bytes);
}

std::string shown(const std::string& text, std::size_t longest) {
  return base::printable(text, longest);
}

Tone tone_of_vouching(const std::string& vouching) {
  if (vouching == "vouched") return Tone::kGood;
  if (vouching == "contradicted") return Tone::kBad;
  return Tone::kPlain;
}

std::string vouching_text(const std::string& vouching) {
  return vouching == "vouched-weakly" ? "vouched (weak)" : vouching;
}

std::string fact_text(const std::string& fact, const std::string& text) {
  if (text.empty()) return "none";
  const auto bytes = fact == "space" ? base::parse_size(text) : std::nullopt;
  return bytes ? exact_size(*bytes) : text;
}

std::string offer_text(const api::Offer& offer) {
  auto text = base::printable(offer.name, 255);
  if (!offer.to.empty()) text += " to " + offer.to;
  if (!offer.over.empty()) text += fmt::format(" over {}", fmt::join(offer.over, ", "));
  if (offer.until) text += " until " + shown_time(*offer.until);
  if (!offer.held_back.empty())
    text += ", but it " + base::printable(offer.held_back, 400);
  return text;
}

Tone tone_of(const std::string& outcome) {
  if (outcome == "complete" || outcome == "done") return Tone::kGood;
  if (outcome == "running" || outcome == "heard" || outcome.empty()) return Tone::kPlain;
  return Tone::kBad;
}

std::string who_text(const std::string& peer, const std::string& device,
                     const std::string& account) {
  auto text = device.empty() ? peer : fmt::format("{} ({})", device, peer);
  if (!account.empty()) text += " as " + account;
  return text;
}

Table transfer_table(const std::vector<api::Transfer>& transfers) {
  Table table({{"DEVICE"},
               {"DIRECTION", Table::Align::kLeft, 3},
               {"NAME"},
               {"BYTES", Table::Align::kRight},
               {"RATE", Table::Align::kRight, 1},
               {"LEFT", Table::Align::kRight},
               {"RESENT", Table::Align::kRight, 2},
               {"STATE"}});
  for (const auto& t : transfers) {
    const auto tone = t.state == "running" ? Tone::kPlain : Tone::kFaint;
    auto who = t.job.empty() ? peer_of(t) : fmt::format("{}, job: {}", peer_of(t), t.job);
    if (!t.node.empty()) who += fmt::format(", on node {}", t.node);
    table.add({{who, tone},
               {t.direction, tone},
               {t.name, tone},
               {progress(t), tone},
               {base::rate_text(t.rate), tone},
               {remaining(t), tone},
               {counts_packets(t) ? std::to_string(t.resent) : "", tone},
               {state_of(t),
                t.stalled_ms || !t.caution.empty() ? Tone::kBad : tone_of(t.state)}});
  }
  return table;
}

std::string transfer_line(const api::Transfer& t) {
  auto line = fmt::format("{} {} {}: {}, {}", peer_of(t), verb(t.direction),
                          base::printable(t.name, 255),
                          t.stalled_ms ? "stalled" : t.state, progress(t));
  if (t.state == "running") {
    line += fmt::format(", {}", base::rate_text(t.rate));
    if (t.seconds_left)
      line += fmt::format(", {} left", base::duration_text(*t.seconds_left));
  } else {
    line += fmt::format(" in {}, {}",
                        base::duration_text(static_cast<double>(t.duration_ms) / 1000),
                        base::rate_text(t.rate));
  }
  if (t.resent > 0) line += fmt::format(", {} resent", t.resent);
  if (t.stalled_ms) {
    line += ", nothing moved for " +
            base::duration_text(static_cast<double>(*t.stalled_ms) / 1000);
    if (counts_packets(t)) line += ", asked again " + base::times_text(t.unanswered);
  }
  if (t.state == "complete" && t.resent == 0 && counts_packets(t)) {
    line += ", nothing resent";
  }
  if (t.state == "complete") line += ", every byte acknowledged";
  if (!t.job.empty()) line += fmt::format(" (job: {})", base::printable(t.job, 100));
  if (!t.node.empty()) line += fmt::format(" (on node {})", base::printable(t.node, 40));
  if (!t.why.empty()) line += ": " + base::printable(t.why, 300);
  if (!t.caution.empty()) line += "; CAUTION: " + base::printable(t.caution, 300);
  return line;
}

}  // namespace vantro::client
