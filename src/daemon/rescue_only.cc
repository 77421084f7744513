#include "daemon/rescue_only.h"

#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <fmt/format.h>
#include <fstream>
#include <iostream>
#include <iterator>
#include <unistd.h>

#include "base/typed_time.h"
#include "base/unique_fd.h"
#include "base/visible_name.h"
#include "gate/intake.h"

namespace vantro::daemon {
namespace {

using base::Kind;
namespace rescue = jobs::rescue;

constexpr std::size_t kPiece = 256 * 1024;

void say(const std::string& line) { std::cout << line << std::endl; }

}  // namespace

base::Outcome<std::string> RescueOnly::take_in(const rescue::Profile& profile) {
  const base::UniqueFd file(::open(options_.image.c_str(), O_RDONLY | O_CLOEXEC));
  if (!file) return base::refuse(base::system_refusal(errno, options_.image));
  gate::IntakeOptions intake_options;
  intake_options.name = std::string(base::last_part(options_.image));
  if (!profile.platform.empty()) intake_options.facts["platform"] = profile.platform;
  if (!profile.files.back().role.empty()) {
    intake_options.facts["role"] = profile.files.back().role;
  }
  const auto name = intake_options.name;
  auto intake = gate_.open_intake(std::move(intake_options));
  if (!intake) return base::refuse(intake.error());
  base::ByteBuffer piece(kPiece);
  while (true) {
    const auto got = ::read(file.get(), piece.data(), piece.size());
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return base::refuse(base::system_refusal(errno, options_.image));
    if (got == 0) break;
    const auto written =
        intake->write(base::ByteView(piece).first(static_cast<std::size_t>(got)));
    if (!written) return base::refuse(written.error());
  }
  const auto taken = intake->commit();
  if (!taken) return base::refuse(taken.error());
  say(fmt::format("'{}' was added: SHA-256 {}", taken->added.image.name,
                  taken->added.image.digests.sha256));
  return name;
}

base::Outcome<void> RescueOnly::open() {
  desk::RescueWanted wanted;
  wanted.interface = options_.interface;
  wanted.profile = options_.profile;
  wanted.link_addresses = options_.link_addresses;
  wanted.own_address = options_.own_address;
  wanted.despite_other = options_.despite_other;
  wanted.any_device = options_.any_device;
  const auto hold = base::parse_span(options_.hold);
  if (!hold) {
    return base::refuse(
        Kind::kInvalid,
        fmt::format("--rescue-for: '{}' is not a length of time; example: 60m",
                    base::printable(options_.hold, 40)));
  }
  wanted.hold = std::chrono::seconds((*hold + 500) / 1000);
  const auto profiles = rescues_.profiles();
  if (wanted.profile.empty() && profiles.size() == 1) {
    wanted.profile = profiles.front().name;
  }
  if (!options_.image.empty()) {
    for (const auto& one : profiles) {
      if (base::folded(one.name) != base::folded(wanted.profile)) continue;
      auto name = take_in(one);
      if (!name) return base::refuse(name.error());
      wanted.image = std::move(*name);
    }
  }
  if (!options_.text.empty()) {
    std::ifstream in(options_.text, std::ios::binary);
    if (!in) return base::refuse(base::system_refusal(errno, options_.text));
    wanted.text.assign(std::istreambuf_iterator<char>(in), {});
  }
  auto caller = desk::the_server();
  const auto opened = rescues_.open(caller, wanted);
  if (!opened) return base::refuse(opened.error());
  for (const auto& one : opened->checks) {
    say(fmt::format("{:<8}{}: {}{}",
                    one.verdict == jobs::Verdict::kPass ? "ok" : jobs::word(one.verdict),
                    one.name, one.fact, one.advice.empty() ? "" : "; " + one.advice));
  }
  if (!opened->view) {
    return base::refuse(
        Kind::kDenied,
        "the session was not opened; settle the checks marked 'stop' first");
  }
  session_ = opened->view->session.id;
  say(fmt::format("The wire is open until {}; Ctrl-C ends it.",
                  base::local_time(opened->view->session.until)));
  return {};
}

bool RescueOnly::follow() {
  const auto view = rescues_.find(session_);
  if (!view) return true;
  for (; told_ < view->lines.size(); ++told_) {
    const auto& one = view->lines[told_];
    say(fmt::format("{}  {}", base::local_time(one.at).substr(11), one.sentence));
  }
  // Of a load each tenth is enough.
  const auto& stage = view->stage;
  const auto now =
      stage.percent ? fmt::format("{} {}", rescue::word(stage.kind), *stage.percent / 10)
                    : stage.large;
  if (now != stage_) {
    stage_ = now;
    say(fmt::format("          {}{}{}", stage.large, stage.small.empty() ? "" : "; ",
                    stage.small));
  }
  return view->session.ended_at == 0;
}

void RescueOnly::say_end() {
  if (session_ == 0) return;
  const auto view = rescues_.find(session_);
  if (!view) return;
  follow();
  say("");
  say(view->session.summary);
  say("To put back on your own machine:");
  for (const auto& one : view->undo) say("  " + one);
}

}  // namespace vantro::daemon
