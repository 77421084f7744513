#include "client/verify.h"

#include <chrono>
#include <fmt/format.h>
#include <thread>

#include "base/sizes.h"
#include "client/interrupt.h"
#include "client/progress.h"
#include "client/render.h"

namespace vantro::client {
namespace {

struct VerifyOptions {
  std::string image;
  std::int64_t unread_days = 0;
  std::optional<std::string> rate;  // "32 MiB" per second; "0": no limit
  bool follow_only = false;         // start nothing
  bool start_only = false;
};

using Verified = Result<Answered<api::Verification>>;

Verified begin_verification(const Context& context, const VerifyOptions& options) {
  api::VerifyWanted wanted{options.image, options.unread_days, std::nullopt};
  if (options.rate) {
    const auto rate = base::parse_size(*options.rate);
    if (!rate) {
      return wrong_use(
          fmt::format("--rate: '{}' is not a size such as \"32 MiB\" (for each "
                      "second), nor 0 for no limit",
                      shown(*options.rate)));
    }
    wanted.bytes_per_second = *rate;
  }
  return context.api.call(api::kVerify, {}, wanted);
}

// Until it has ended; the last answer.
Verified follow_verification(const Context& context) {
  constexpr std::chrono::milliseconds kPause{200};
  auto answer = context.api.call(api::kVerification);
  if (!answer || !answer->value.running) return answer;
  Progress bar(context.view, "reading", answer->value.bytes);
  notice_interrupts();
  while (answer && answer->value.running && !interrupted()) {
    bar.advance(answer->value.bytes_read);
    std::this_thread::sleep_for(kPause);
    answer = context.api.call(api::kVerification);
  }
  return answer;
}

Done verify(const Context& context, const VerifyOptions& options) {
  Verified answer;
  bool nothing_due = false;
  if (!options.follow_only) {
    answer = begin_verification(context, options);
    if (!answer) return tl::unexpected(answer.error());
    nothing_due = answer->value.contents == 0;
  }
  if (!nothing_due && !options.start_only) answer = follow_verification(context);
  bool damaged = false;
  const auto done = show_answer(
      context, answer, [&](const Terminal& terminal, const api::Verification& state) {
        damaged = !state.damages.empty();
        if (nothing_due) {
          terminal.write("Nothing to read; everything was read lately.\n");
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
              fmt::format("{} are encrypted with keys that the server does not have, and "
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
          terminal.write(terminal.toned(state.locked > 0 ? "All bytes read are whole."
                                                         : "Everything is whole.",
                                        Tone::kGood) +
                         "\n");
        }
      });
  if (!done) return done;
  if (context.json) damaged = !answer->value.damages.empty();
  if (damaged) return tl::unexpected(Failure{ExitCode::kChecksum, ""});
  return {};
}

}  // namespace

void verify_command(const Command& top) {
  auto& o = top.keep<VerifyOptions>();
  const auto command =
      top.add("verify", "Read all stored bytes and compare their checksums",
              [&o](const Context& c) { return verify(c, o); });
  command.value("IMAGE", o.image, "Only this image");
  command.value("--unread-for", o.unread_days, "Only contents not read for so many days")
      .range(0, INT64_MAX);
  command.value("--rate", o.rate, "Bytes to read each second; 0: as fast as possible");
  command.flag("--follow", o.follow_only, "Follow a running verification; start nothing");
  command.flag("--start-only", o.start_only, "Start it and return at once");
  command.example("verify")
      .example("verify --unread-for 30 --rate \"32 MiB\"")
      .related({"image find", "status"})
      .exit_codes("6 stored bytes are damaged");
}

}  // namespace vantro::client
