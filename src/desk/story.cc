#include "desk/story.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/sizes.h"
#include "base/visible_name.h"
#include "catalog/facts.h"

namespace vantro::desk {
namespace {

constexpr std::int64_t kHour = 3'600'000;

std::string spell(std::int64_t milliseconds) {
  return base::duration_text(static_cast<double>(milliseconds) / 1000);
}

std::string amount(const ledger::Entry& entry) {
  if (!entry.total) return base::size_text(entry.bytes);
  return fmt::format("{} of {}", base::size_text(entry.bytes),
                     base::size_text(*entry.total));
}

std::string blocks_resent(std::uint64_t count) {
  if (count == 0) return "nothing resent";
  return count == 1 ? "1 packet resent" : fmt::format("{} packets resent", count);
}

std::string range(const Absence& absence) {
  const auto shortest = spell(absence.shortest);
  const auto longest = spell(absence.longest);
  if (shortest == longest) return shortest;
  return fmt::format("{} to {}", shortest, longest);
}

// The target of a refused request.
std::string wanted(const ledger::Entry& entry, const std::string& shown) {
  if (entry.event == "log-in") {
    return shown.empty() ? "wanted to log in"
                         : fmt::format("wanted to log in as '{}'", shown);
  }
  if (entry.event == "list") return fmt::format("wanted the list of '{}'", shown);
  const char* verb = entry.event == "deposit"     ? "wanted to send"
                     : entry.event == "image-add" ? "wanted to hand in"
                                                  : "asked for";
  return fmt::format("{} '{}'", verb, shown);
}

// Only TFTP's packets are counted here; TCP resends invisibly.
std::string resent(const std::string& protocol, std::uint64_t count) {
  return protocol == "tftp" ? ", " + blocks_resent(count) : "";
}

std::string with_account(const std::string& account) {
  return account.empty() ? "" : fmt::format("as '{}', ", account);
}

class Teller {
 public:
  Teller(const Known& known, base::WallTime now) : known_(known), now_(now) {}

  std::vector<StoryLine> tell() {
    strays();  // first, if at the same moment as a request
    for (std::size_t i = 0; i < known_.entries.size(); ++i) entry(i);
    for (const auto& transfer : known_.running) running(transfer);
    if (lines_.empty() && known_.contact) {
      // A session or a listing.
      lines_.push_back({known_.contact->last_at, "heard", "", known_.contact->heard_on,
                        "contacted the server and got an answer, but asked for no file; "
                        "the path works"});
    }
    std::stable_sort(lines_.begin(), lines_.end(),
                     [](const auto& a, const auto& b) { return a.at < b.at; });
    return std::move(lines_);
  }

 private:
  void entry(std::size_t index) {
    const auto& e = known_.entries[index];
    const auto shown = base::printable(e.name, base::kLongestName);
    StoryLine line{e.at, e.outcome, e.name, e.heard_on, ""};
    const auto took = spell(e.duration_ms) + resent(e.protocol, e.resent);
    if (e.outcome == "refused") {
      line.sentence = fmt::format("{}; refused: {}", wanted(e, shown), e.sentence);
    } else if (e.outcome == "complete" && e.event == "fetch" && e.sha256.empty()) {
      // A part, a checksum, or a backup of its own.
      line.sentence =
          fmt::format("'{}' sent: {} in {}{}", shown, base::size_text(e.bytes), took,
                      e.sentence.empty() ? "" : " (" + e.sentence + ")");
    } else if (e.outcome == "complete" && e.event == "fetch") {
      line.sentence = fmt::format("'{}' sent completely: {} in {}", shown,
                                  base::size_text(e.bytes), took);
      const auto other = for_another_platform(e);
      line.sentence += other;
      line.caution = !other.empty();
      if (other.empty() && known_.job_waits_for.empty() &&
          !is_part_of_the_unfinished(e)) {
        line.sentence += "; nothing more to do here";
      }
      line.sentence += second_of_two(index) + part_of_kits(index) + afterwards(index);
      if (index + 1 == known_.entries.size() && !known_.job_waits_for.empty()) {
        line.sentence += "; its job waits for " + known_.job_waits_for;
      }
    } else if (e.outcome == "complete") {
      line.sentence = fmt::format("{} '{}', filed completely: {} in {} ({})",
                                  e.event == "image-add" ? "handed in" : "sent", shown,
                                  base::size_text(e.bytes), took, e.sentence);
    } else if (e.total == e.bytes && e.event != "fetch") {
      line.sentence =
          fmt::format("'{}' arrived completely, {} in {}, and was not filed: {}", shown,
                      base::size_text(e.bytes), took, e.sentence);
    } else {
      line.sentence = fmt::format("'{}' was interrupted after {} and {}: {}", shown,
                                  amount(e), took, e.sentence);
    }
    line.sentence = with_account(e.account) + line.sentence;
    lines_.push_back(std::move(line));
  }

  std::string for_another_platform(const ledger::Entry& e) const {
    std::string other;
    if (const auto found = known_.platforms.find(e.sha256);
        found != known_.platforms.end()) {
      other = catalog::other_platform(found->second, known_.platform);
    }
    if (const auto found = known_.hardwares.find(e.sha256);
        other.empty() && found != known_.hardwares.end()) {
      other = catalog::other_hardware(found->second, known_.hardware);
    }
    // Its row says what was doubtful then.
    if (other.empty() && e.sentence.starts_with("CAUTION: ")) {
      other = e.sentence.substr(std::string_view("CAUTION: ").size());
    }
    return other.empty() ? "" : "; CAUTION: " + other;
  }

  // Of a kit of which the device has not fetched everything.
  bool is_part_of_the_unfinished(const ledger::Entry& e) const {
    return std::any_of(known_.kits.begin(), known_.kits.end(), [&](const auto& kit) {
      const auto is_it = [&](const auto& part) {
        return part.image.digests.sha256 == e.sha256;
      };
      const auto fetched = [&](const auto& part) {
        return last_fetch(part.image.digests.sha256).has_value();
      };
      return std::any_of(kit.parts.begin(), kit.parts.end(), is_it) &&
             !std::all_of(kit.parts.begin(), kit.parts.end(), fetched);
    });
  }

  // Devices often fetch an image twice.
  std::string second_of_two(std::size_t index) const {
    const auto& e = known_.entries[index];
    for (std::size_t i = index; i-- > 0;) {
      const auto& before = known_.entries[i];
      if (before.at + kHour < e.at) break;
      if (before.event == "fetch" && before.outcome == "complete" &&
          before.sha256 == e.sha256) {
        return fmt::format(
            "; it had fetched the same {} before: usually one is the load to memory, the "
            "other the one to storage",
            spell(e.at - e.duration_ms - before.at));
      }
    }
    return "";
  }

  // Said once for each kit, with its last fetched part.
  std::string part_of_kits(std::size_t index) const {
    std::string text;
    for (const auto& kit : known_.kits) {
      std::vector<std::string> missing;
      std::optional<std::size_t> last;
      for (const auto& part : kit.parts) {
        const auto at = last_fetch(part.image.digests.sha256);
        if (!at) missing.push_back("'" + part.image.name + "'");
        if (at) last = std::max(last.value_or(0), *at);
      }
      if (last != index) continue;
      if (missing.empty()) {
        text += fmt::format("; with it all {} parts of kit '{}' were fetched",
                            kit.parts.size(), kit.name);
      } else {
        text += fmt::format("; still to fetch of kit '{}': {}", kit.name,
                            fmt::join(missing, ", "));
      }
    }
    return text;
  }

  std::optional<std::size_t> last_fetch(const std::string& sha256) const {
    for (std::size_t i = known_.entries.size(); i-- > 0;) {
      const auto& e = known_.entries[i];
      if (e.event == "fetch" && e.outcome == "complete" && e.sha256 == sha256) return i;
    }
    return std::nullopt;
  }

  // What the device does after a complete fetch, and when it was heard again.
  std::string afterwards(std::size_t index) const {
    const auto& e = known_.entries[index];
    std::optional<base::WallTime> next;
    for (std::size_t i = index + 1; i < known_.entries.size() && !next; ++i) {
      const auto began = known_.entries[i].at - known_.entries[i].duration_ms;
      if (began >= e.at) next = began;
    }
    for (const auto& transfer : known_.running) {
      if (transfer.began_at >= e.at)
        next = std::min(next.value_or(now_), transfer.began_at);
    }
    if (next) return fmt::format("; heard again {} later", spell(*next - e.at));
    if (index + 1 != known_.entries.size()) return "";
    std::string text = "; the device is now writing or starting";
    if (known_.absence) text += ", which earlier took " + range(*known_.absence);
    return text;
  }

  void strays() {
    if (!known_.contact || known_.contact->strays + known_.contact->unanswered == 0)
      return;
    const auto& c = *known_.contact;
    std::string sentence;
    if (c.strays > 0) {
      sentence =
          fmt::format("{} failed since {}, the last: {}",
                      c.strays == 1 ? "1 attempt" : fmt::format("{} attempts", c.strays),
                      base::local_time(c.first_at), c.stray_why);
    }
    if (c.unanswered > 0) {
      if (!sentence.empty()) sentence += "; ";
      sentence += fmt::format(
          "{} got no answer, because there were too many at once or too many that it "
          "never acknowledged",
          c.unanswered == 1 ? "1 attempt" : fmt::format("{} attempts", c.unanswered));
    }
    lines_.push_back({std::max(c.stray_at, c.strays > 0 ? c.stray_at : c.last_at),
                      "heard", "", c.heard_on, std::move(sentence)});
  }

  void running(const gate::TransferView& view) {
    const auto shown = base::printable(view.name, base::kLongestName);
    const bool fetch = view.direction == gate::Direction::kFetch;
    StoryLine line{now_, "running", view.name, view.heard_on, ""};
    const auto so_far = view.total ? fmt::format("{} of {}", base::size_text(view.bytes),
                                                 base::size_text(*view.total))
                                   : base::size_text(view.bytes);
    line.sentence =
        with_account(view.account) +
        fmt::format("{} '{}': {} in {}, {}{}", fetch ? "fetches" : "sends", shown, so_far,
                    spell(view.duration_ms), base::rate_text(view.rate),
                    resent(view.protocol, view.resent));
    if (!view.caution.empty()) line.sentence += "; CAUTION: " + view.caution;
    line.caution = !view.caution.empty();
    if (view.stalled_ms) {
      line.state = "stalled";
      line.sentence += "; stalled: nothing has moved for " + spell(*view.stalled_ms);
      if (view.protocol == "tftp") {
        line.sentence += ", asked again " + base::times_text(view.unanswered);
      }
      if (view.bytes == 0 && fetch) {
        line.sentence +=
            "; no reply to our answers: look for a firewall or a wrong route between the "
            "server and the device";
      }
    }
    lines_.push_back(std::move(line));
  }

  const Known& known_;
  base::WallTime now_;
  std::vector<StoryLine> lines_;
};

}  // namespace

std::optional<Absence> usual_absence(const std::vector<std::int64_t>& absences) {
  constexpr std::int64_t kLongestUsual = 3 * kHour;
  constexpr std::int64_t kShortestUsual = 1000;  // earlier, it was only the next file
  std::optional<Absence> result;
  for (const auto one : absences) {
    if (one > kLongestUsual || one < kShortestUsual) continue;
    if (!result) result = Absence{one, one};
    result->shortest = std::min(result->shortest, one);
    result->longest = std::max(result->longest, one);
  }
  return result;
}

std::vector<StoryLine> story(const Known& known, base::WallTime now) {
  return Teller(known, now).tell();
}

}  // namespace vantro::desk
