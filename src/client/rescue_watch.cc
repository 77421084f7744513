// Follows one rescue session: on a terminal the stage in letters that can be read from
// the rack, redrawn in place; elsewhere a line for each change.
#include <algorithm>
#include <chrono>
#include <fmt/format.h>
#include <thread>

#include "base/clock.h"
#include "base/sizes.h"
#include "client/interrupt.h"
#include "client/large_text.h"
#include "client/render.h"
#include "client/rescue.h"

namespace vantro::client {
namespace {

constexpr std::chrono::milliseconds kBetween{400};
constexpr std::size_t kLastLines = 8;

Tone tone_of_stage(const std::string& stage) {
  if (stage == "interrupted" || stage == "refused") return Tone::kBad;
  if (stage == "back" || stage == "loaded") return Tone::kGood;
  return stage == "closed" ? Tone::kFaint : Tone::kHead;
}

std::string left_of(const api::Rescue& rescue) {
  const auto until = base::parse_iso_time(rescue.until).value_or(0);
  const auto left = std::max<std::int64_t>(0, until - base::SystemClock{}.wall());
  return base::duration_text(static_cast<double>(left / 1000));
}

class Follower {
 public:
  Follower(const Context& context, const RescueWatch& options)
      : context_(context), options_(options), terminal_(stdout) {}
  Follower(const Follower&) = delete;
  Follower& operator=(const Follower&) = delete;
  ~Follower() {
    if (drawn_) terminal_.control("\x1b[?25h");
  }

  Done follow(std::int64_t number) {
    notice_interrupts();
    const auto began = base::SystemClock{}.now();
    for (;;) {
      const auto answer = context_.api.call(api::kRescue, {number});
      if (!answer) return tl::unexpected(answer.error());
      const auto& rescue = answer->value;
      if (context_.json) {
        tell_json(rescue, answer->text);
      } else if (terminal_.is_terminal()) {
        draw(rescue);
      } else {
        tell(rescue);
      }
      if (!rescue.ended_at.empty()) {
        if (!context_.json) write_rescue(terminal_, without_lines(rescue));
        return {};
      }
      const auto end =
          began + std::chrono::duration_cast<base::Duration>(
                      std::chrono::duration<double>(options_.seconds.value_or(1e9)));
      if (interrupted() || base::SystemClock{}.now() + kBetween >= end) return {};
      std::this_thread::sleep_for(kBetween);
    }
  }

 private:
  static api::Rescue without_lines(api::Rescue rescue) {
    rescue.lines.clear();
    return rescue;
  }

  // If this is not a terminal: new events, and each tenth of a load.
  void tell(const api::Rescue& rescue) {
    for (; told_ < rescue.lines.size(); ++told_) {
      const auto& one = rescue.lines[told_];
      terminal_.write(
          fmt::format("{} {}\n", shown_time(one.at), shown(one.sentence, 600)));
    }
    const auto now = rescue.percent
                         ? fmt::format("{} {}", rescue.stage, *rescue.percent / 10 * 10)
                         : rescue.stage;
    if (now == last_) return;
    last_ = now;
    terminal_.write(
        fmt::format("{} {}{}\n", base::local_time(base::SystemClock{}.wall()),
                    shown(rescue.large, 400),
                    rescue.small.empty() ? "" : "; " + shown(rescue.small, 400)));
  }

  // One line each, so that a program can read them as they come.
  void tell_json(const api::Rescue& rescue, const std::string& text) {
    const auto now =
        fmt::format("{}|{}|{}", rescue.large, rescue.lines.size(), rescue.ended_at);
    if (now != last_) terminal_.write_json(text + "\n");
    last_ = now;
  }

  // As much as fits in the window: first the letters, then their subject, then the newest
  // lines.
  void draw(const api::Rescue& rescue) {
    if (!drawn_) terminal_.control("\x1b[?25l");
    if (drawn_ && rescue.bells > bells_ && !options_.quiet) terminal_.control("\a");
    drawn_ = true;
    bells_ = rescue.bells;
    const auto columns = terminal_.columns();
    // Cut text ends in three dots.
    const auto fitting = columns > 8 ? columns - 4 : columns;
    std::vector<std::string> out{
        terminal_.toned(
            shown(fmt::format(
                      "Rescue session {} on {}{}; ends by itself in {}", rescue.number,
                      rescue.interface,
                      rescue.device.empty() ? std::string() : " for " + rescue.device,
                      left_of(rescue)),
                  fitting),
            Tone::kHead),
        ""};
    const auto tone = tone_of_stage(rescue.stage);
    auto letters = large_text(rescue.large, columns);
    // Its subject, and two lines of events.
    constexpr std::size_t kLeast = 7;
    if (letters.empty() || letters.size() + kLeast > terminal_.rows()) {
      letters = {shown(rescue.large, fitting)};
    }
    for (const auto& line : letters) out.push_back(terminal_.toned(line, tone));
    out.emplace_back();
    if (rescue.percent) {
      out.push_back(bar(*rescue.percent));
      out.emplace_back();
    }
    if (!rescue.small.empty()) {
      out.push_back(shown(rescue.small, fitting));
      out.emplace_back();
    }
    const auto room = terminal_.rows() > out.size() + 1
                          ? terminal_.rows() - out.size() - 1
                          : std::size_t{0};
    const auto count = std::min({room, kLastLines, rescue.lines.size()});
    for (std::size_t i = rescue.lines.size() - count; i < rescue.lines.size(); ++i) {
      const auto& one = rescue.lines[i];
      // The time of day is enough: sessions are short.
      out.push_back(shown(
          fmt::format("{}  {}", shown_time(one.at).substr(11), one.sentence), fitting));
    }
    terminal_.control("\x1b[H\x1b[2J");
    terminal_.write(fmt::format("{}", fmt::join(out, "\n")));
  }

  std::string bar(std::int64_t percent) const {
    const auto wide = std::min<std::size_t>(terminal_.columns(), 72) - 2;
    const auto full = wide * static_cast<std::size_t>(percent) / 100;
    return "[" + std::string(full, '#') + std::string(wide - full, '-') + "]";
  }

  const Context& context_;
  const RescueWatch& options_;
  Terminal terminal_;
  bool drawn_ = false;
  std::int64_t bells_ = 0;
  std::size_t told_ = 0;
  std::string last_;
};

}  // namespace

Done watch_rescue(const Context& context, const RescueWatch& options) {
  const auto number = rescue_number(context, options.number, true);
  if (!number) return tl::unexpected(number.error());
  return Follower(context, options).follow(*number);
}

}  // namespace vantro::client
