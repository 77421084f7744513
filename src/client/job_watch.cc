// One job, followed: on a terminal the stage in large words, redrawn in place; elsewhere
// a line for each change.
#include <chrono>
#include <csignal>
#include <fmt/format.h>
#include <thread>

#include "base/clock.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/answers.h"
#include "client/jobs.h"
#include "client/large_text.h"
#include "client/reach.h"
#include "client/render.h"

namespace vantro::client {
namespace {

volatile std::sig_atomic_t interrupted = 0;
void interrupt(int) { interrupted = 1; }

constexpr std::chrono::milliseconds kBetween{1000};

// In large letters, between rules.
std::string large(const Terminal& terminal, const std::string& stage) {
  auto capitals = stage;
  for (auto& one : capitals) {
    if (one >= 'a' && one <= 'z') one = static_cast<char>(one - 'a' + 'A');
  }
  const auto wide = std::min<std::size_t>(terminal.columns(), 76);
  const auto rule = std::string(wide, '=');
  auto letters = large_text(capitals, wide);
  if (letters.empty()) letters = {capitals};
  return fmt::format("{}\n\n{}\n\n{}\n", rule, fmt::join(letters, "\n"), rule);
}

class Follower {
 public:
  Follower(const Context& context, const JobWatch& options)
      : context_(context), options_(options), terminal_(stdout) {}

  Done follow() {
    std::signal(SIGINT, interrupt);
    const auto began = base::SystemClock{}.now();
    for (;;) {
      const auto job = context_.api.call(api::kJob, {options_.device});
      if (!job) return tl::unexpected(job.error());
      if (auto looked = look(job->value); !looked) return looked;
      show(job->value, job->text);
      if (job->value.state != "open" || interrupted != 0) return {};
      const auto end =
          began + std::chrono::duration_cast<base::Duration>(
                      std::chrono::duration<double>(options_.seconds.value_or(1e9)));
      if (base::SystemClock{}.now() + kBetween >= end) return {};
      std::this_thread::sleep_for(kBetween);
      if (interrupted != 0) return {};
    }
  }

 private:
  // Whether the device answers, if that was asked for.
  Done look(const api::Job& job) {
    if (!options_.ping && !options_.tcp_port) return {};
    if (address_.empty()) {
      const auto device = context_.api.call(api::kDevice, {job.device});
      if (!device) return tl::unexpected(device.error());
      const auto& all = device->value.addresses;
      address_ = all.substr(0, all.find(' '));
      if (address_.empty() || address_.find('/') != std::string::npos) {
        return wrong_use(fmt::format("{} has no single address to look at", job.device));
      }
    }
    bool answers = false;
    if (options_.tcp_port) {
      answers = accepts_tcp(address_, static_cast<std::uint16_t>(*options_.tcp_port));
    }
    if (options_.ping && !answers) {
      const auto reply = answers_ping(address_);
      if (!reply) return tl::unexpected(reply.error());
      answers = *reply;
    }
    const auto now = base::SystemClock{}.wall();
    if (!seen_ || *seen_ != answers) {
      // The time it was away is what everybody waits for.
      const auto away =
          seen_ && answers
              ? fmt::format(", after {} without an answer",
                            base::duration_text(static_cast<double>(now - since_) / 1000))
              : "";
      reach_ =
          fmt::format("{} {}{}", address_, answers ? "answers" : "does not answer", away);
      since_ = now;
    }
    seen_ = answers;
    return {};
  }

  void show(const api::Job& job, const std::string& json) {
    const auto changed = fmt::format("{}|{}|{}|{}|{}", job.stage, job.waits_for,
                                     job.caution, job.state, reach_);
    if (context_.json) {
      // One line each, so that a program can read them as they come.
      if (changed != last_) terminal_.write_json(json + "\n");
      last_ = changed;
      return;
    }
    if (!terminal_.is_terminal()) {
      if (changed != last_) {
        terminal_.write(fmt::format(
            "{} {}: {}; waits for {}{}{}\n", base::local_time(base::SystemClock{}.wall()),
            shown(job.device), job.stage, shown(job.waits_for, 600),
            job.caution.empty() ? "" : "; CAUTION: " + shown(job.caution, 400),
            reach_.empty() ? "" : "; " + reach_));
      }
      last_ = changed;
      return;
    }
    terminal_.control("\x1b[H\x1b[2J");
    terminal_.write(fmt::format("{}: {} to {}\n",
                                terminal_.toned(job.device, Tone::kHead), job.purpose,
                                shown(job.aim)));
    const auto tone = job.state == "confirmed" || job.stage == "running" ? Tone::kGood
                      : job.state == "failed" || job.stage == "stopped"  ? Tone::kBad
                                                                         : Tone::kHead;
    for (const auto& one : lines_of(large(terminal_, job.stage))) {
      terminal_.write(terminal_.toned(one, tone) + "\n");
    }
    terminal_.write(fmt::format("\nwaits for {}\n", shown(job.waits_for, 600)));
    if (!job.since.empty()) {
      terminal_.write(fmt::format("since {}\n", shown_time(job.since)));
    }
    if (!job.caution.empty()) {
      terminal_.write("\n" + terminal_.toned(shown(job.caution, 400), Tone::kBad) + "\n");
    }
    if (!reach_.empty()) terminal_.write("\n" + reach_ + "\n");
    terminal_.write("\n");
    for (const auto& one : job.images) {
      terminal_.write(fmt::format(
          "  {} {}. {} {}: {}\n", one.number == job.at_hand ? ">" : " ", one.number,
          one.role, shown(one.version), one.passed ? "passed" : one.stage));
    }
    if (!job.lines.empty()) {
      terminal_.write("\nlast: " + shown(job.lines.back().sentence, 400) + "\n");
    }
  }

  static std::vector<std::string> lines_of(const std::string& text) {
    std::vector<std::string> lines;
    for (std::size_t at = 0; at < text.size();) {
      const auto end = std::min(text.find('\n', at), text.size());
      lines.push_back(text.substr(at, end - at));
      at = end + 1;
    }
    return lines;
  }

  const Context& context_;
  const JobWatch& options_;
  Terminal terminal_;
  std::string address_;
  std::optional<bool> seen_;
  base::WallTime since_ = 0;
  std::string reach_;
  std::string last_;
};

}  // namespace

Done watch_job(const Context& context, const JobWatch& options) {
  return Follower(context, options).follow();
}

}  // namespace vantro::client
