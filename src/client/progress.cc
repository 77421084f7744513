#include "client/progress.h"

#include <algorithm>
#include <fmt/format.h>
#include <utility>

#include "base/counted.h"
#include "base/sizes.h"

namespace vantro::client {
namespace {

constexpr std::chrono::milliseconds kRedraw{100};
constexpr std::chrono::seconds kLine{5};
constexpr std::size_t kBarWidth = 24;
// A rate over less time says little.
constexpr double kSoonest = 0.5;

}  // namespace

Progress::Progress(const View& view, std::string label, std::uint64_t total, Of of)
    : terminal_(stderr),
      view_(view),
      label_(std::move(label)),
      total_(total),
      of_(of),
      began_(clock_.now()),
      shown_(began_) {}

Progress::~Progress() {
  if (drawn_) terminal_.control("\r\x1b[K");
}

void Progress::advance(std::uint64_t done, std::uint64_t total) {
  total_ = total;
  advance(done);
}

void Progress::advance(std::uint64_t done) {
  const auto now = clock_.now();
  if (view_.progress == View::Progress::kPlain) {
    if (now - shown_ < kLine) return;
    shown_ = now;
    terminal_.write(fmt::format("{}: {}\n", label_, account(done, now, ", ")));
    return;
  }
  const bool wanted = view_.progress == View::Progress::kAuto && terminal_.can_redraw();
  if (!wanted || now - shown_ < kRedraw) return;
  shown_ = now;
  draw(done, now);
}

void Progress::note(const std::string& what) {
  if (view_.progress == View::Progress::kPlain) {
    terminal_.write(fmt::format("{}: {}\n", label_, what));
    return;
  }
  if (view_.progress != View::Progress::kAuto || !terminal_.can_redraw()) return;
  terminal_.control("\r");
  terminal_.write(fmt::format("{}: {}", label_, what));
  terminal_.control("\x1b[K");
  drawn_ = true;
  shown_ = clock_.now();
}

std::string Progress::amount(std::uint64_t count) const {
  return of_ == Of::kBytes ? base::size_text(count) : base::counted(count, "file");
}

std::string Progress::account(std::uint64_t done, base::Instant now,
                              const char* between) const {
  auto text = amount(done);
  if (total_ > 0) text = fmt::format("{} of {}", amount(done), amount(total_));
  const double seconds = std::chrono::duration<double>(now - began_).count();
  if (seconds < kSoonest || done == 0) return text;
  const double rate = static_cast<double>(done) / seconds;
  text += between;
  text += of_ == Of::kBytes ? base::rate_text(rate) : fmt::format("{:.1f} files/s", rate);
  if (done < total_) {
    text += fmt::format("{}{} left", between,
                        base::duration_text(static_cast<double>(total_ - done) / rate));
  }
  return text;
}

void Progress::draw(std::uint64_t done, base::Instant now) {
  std::string bar;
  if (total_ > 0) {
    const double part =
        std::min(1.0, static_cast<double>(done) / static_cast<double>(total_));
    const auto full = static_cast<std::size_t>(part * kBarWidth);
    bar = fmt::format("[{}{}] {:3.0f}%  ", std::string(full, '#'),
                      std::string(kBarWidth - full, '-'), part * 100);
  }
  auto line = fmt::format("{}  {}{}", label_, bar, account(done, now, "  "));
  line.resize(bytes_that_fit(line, terminal_.columns()));
  terminal_.control("\r");
  terminal_.write(line);
  terminal_.control("\x1b[K");
  drawn_ = true;
}

}  // namespace vantro::client
