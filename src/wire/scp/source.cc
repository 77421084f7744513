#include "wire/scp/source.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/visible_name.h"
#include "wire/scp/header.h"

namespace vantro::wire::scp {

Source::Source(Files& files, Command command)
    : files_(files), command_(std::move(command)) {}

bool Source::wants() const { return state_ != State::kOver; }

std::optional<int> Source::over() const {
  if (state_ != State::kOver || !out_.empty()) return std::nullopt;
  return status_;
}

std::string Source::remark() { return std::exchange(remark_, {}); }

void Source::take(base::ByteView bytes) {
  for (const char c : base::as_text(bytes)) {
    if (state_ == State::kOver) return;
    if (!complaint_.empty()) {
      if (c == '\n') {
        const auto text = std::exchange(complaint_, {});
        disagreed(text.front() == '\2', base::printable(text.substr(1), 400));
      } else if (complaint_.size() < kLongestLine) {
        complaint_ += c;
      }
    } else if (c == '\0') {
      agreed();
    } else if (c == '\1' || c == '\2') {
      complaint_ = c;
    } else {
      disagreed(true, fmt::format("'{}' instead of a confirmation",
                                  base::printable(std::string(1, c))));
    }
  }
}

void Source::agreed() {
  switch (state_) {
    case State::kBegin:
      next_file();
      return;
    case State::kTimes:
      say_header();
      return;
    case State::kHeader:
      state_ = State::kBytes;
      return;
    case State::kBytes:
      disagreed(true, "a confirmation came before the file's end");
      return;
    case State::kEnd:
      end_file(ReadEnd::kComplete, "");
      next_file();
      return;
    case State::kOver:
      return;
  }
}

void Source::disagreed(bool fatal, const std::string& text) {
  status_ = 1;
  if (state_ != State::kBegin) {
    end_file(ReadEnd::kRefusedByClient, text.empty() ? "without saying why" : text);
  }
  // After the first bytes of a file, a message can no longer be distinguished from them.
  if (fatal || state_ == State::kBytes) {
    state_ = State::kOver;
    return;
  }
  next_file();
}

base::Outcome<Entry> Source::open_next() {
  const auto path = clean_path(command_.paths[next_]);
  auto opened = files_.open(++handle_, path);
  if (opened || next_ > 0 || command_.paths.size() == 1) return opened;
  // "my file.cfg" from a client that does not quote: one name with a blank in it.
  const auto whole = clean_path(command_.unparted);
  if (!files_.look(whole)) return opened;
  auto other = files_.open(++handle_, whole);
  if (other) next_ = command_.paths.size() - 1;
  return other;
}

void Source::next_file() {
  while (next_ < command_.paths.size()) {
    auto opened = open_next();
    const auto path = command_.paths[next_++];
    if (!opened) {
      const bool pattern = path.find_first_of("*?[") != std::string::npos;
      out_ += complaint(
          base::in_full(opened.error()) +
          (pattern ? "; '*' and '?' are not expanded, fetch each file by its name" : ""));
      status_ = 1;
      continue;
    }
    file_ = std::move(*opened);
    sent_ = 0;
    if (command_.times) {
      out_ += times_line(file_.changed_at / 1000);
      state_ = State::kTimes;
    } else {
      say_header();
    }
    return;
  }
  state_ = State::kOver;
}

void Source::say_header() {
  out_ += file_line(file_.size, file_.name);
  state_ = State::kHeader;
}

void Source::end_file(ReadEnd how, const std::string& why) {
  files_.close(handle_, how, why);
}

void Source::say(base::ByteBuffer& to, std::size_t most) {
  to.insert(to.end(), out_.begin(), out_.end());
  out_.clear();
  if (state_ != State::kBytes) return;
  const auto count =
      static_cast<std::size_t>(std::min<std::uint64_t>(most, file_.size - sent_));
  const auto at = to.size();
  to.resize(at + count);
  if (count > 0) {
    if (auto read = files_.read(handle_, sent_, std::span(to).subspan(at)); !read) {
      // The client still waits for bytes: it can only be told on standard error.
      to.resize(at);
      remark_ = read.error().sentence;
      end_file(ReadEnd::kFailed, read.error().sentence);
      status_ = 1;
      state_ = State::kOver;
      return;
    }
  }
  sent_ += count;
  if (sent_ < file_.size) return;
  to.push_back(0);
  state_ = State::kEnd;
}

void Source::input_ended(InputEnd how) {
  if (state_ == State::kEnd && how == InputEnd::kSaidAndHeardAll) {
    end_file(ReadEnd::kComplete, "");
    // With more names to come it would have waited.
    if (next_ < command_.paths.size()) status_ = 1;
    state_ = State::kOver;
    return;
  }
  const bool open = state_ == State::kTimes || state_ == State::kHeader ||
                    state_ == State::kBytes || state_ == State::kEnd;
  if (open) end_file(ReadEnd::kBrokenOff, "the client disconnected");
  if (open || state_ == State::kBegin) status_ = 1;
  state_ = State::kOver;
}

}  // namespace vantro::wire::scp
