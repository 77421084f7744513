#include "wire/scp/sink.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/overloaded.h"
#include "base/visible_name.h"

namespace vantro::wire::scp {
namespace {

using base::Kind;

constexpr std::size_t kDeepest = 16;  // folders in folders

}  // namespace

Sink::Sink(Files& files, Command command) : files_(files), command_(std::move(command)) {
  // "my file.cfg" from a client that does not quote is one name.
  if (command_.paths.size() > 1) command_.paths = {command_.unparted};
  agree();
}

bool Sink::wants() const {
  return state_ != State::kOver && state_ != State::kFiling && !files_.busy();
}

std::optional<int> Sink::over() const {
  if (state_ != State::kOver || !out_.empty()) return std::nullopt;
  return status_;
}

std::string Sink::remark() { return std::exchange(remark_, {}); }

void Sink::take(base::ByteView bytes) {
  while (!bytes.empty() && state_ != State::kOver) {
    if (state_ == State::kBytes) {
      const auto part = bytes.first(
          static_cast<std::size_t>(std::min<std::uint64_t>(bytes.size(), left_)));
      bytes = bytes.subspan(part.size());
      left_ -= part.size();
      if (auto written = files_.write(handle_, part); !written) {
        files_.abandon(handle_, written.error().sentence);
        give_up(written.error().sentence);
      } else if (left_ == 0) {
        state_ = State::kEnd;
      }
      continue;
    }
    const char c = static_cast<char>(bytes.front());
    bytes = bytes.subspan(1);
    if (state_ == State::kFiling) {
      // A client waits for the zero byte before it continues.
      give_up("a line came before the last file was confirmed");
    } else if (state_ == State::kEnd) {
      file_ended(c);
    } else if (c == '\n') {
      const auto text = std::exchange(line_, {});
      if (state_ == State::kComplaint) {
        files_.abandon(
            handle_, "the client could not read its file: " + base::printable(text, 400));
        refuse({Kind::kInvalid, "the part that arrived is kept as a partial backup"});
        state_ = State::kLine;
      } else {
        line(text);
      }
    } else if (line_.size() < kLongestLine) {
      line_ += c;
    } else {
      if (state_ == State::kComplaint) files_.abandon(handle_, "the client disconnected");
      give_up("a line without an end arrived");
    }
  }
}

void Sink::line(std::string_view text) {
  const auto header = parse_header(text);
  if (!header) {
    give_up(header.error().sentence);
    return;
  }
  std::visit(base::Overloaded{
                 [&](const FileHeader& file) { begin_file(file); },
                 [&](const FolderHeader& folder) { begin_folder(folder); },
                 [&](const FolderEnd&) {
                   if (folders_.empty()) {
                     give_up("the end of a folder that had not begun");
                     return;
                   }
                   folders_.pop_back();
                   agree();
                 },
                 // The client's time of change is not kept.
                 [&](const Times&) { agree(); },
                 [&](const Complaint& complaint) {
                   status_ = 1;
                   if (complaint.fatal) state_ = State::kOver;
                 },
             },
             *header);
}

std::string Sink::path_of(const std::string& name) {
  if (!folders_.empty()) return folders_.back() + "/" + name;
  const auto& typed = command_.paths.front();
  const auto target = clean_path(typed);
  if (target == "/") return target + name;
  bool folder = command_.folder || typed.ends_with('/') || typed.ends_with("/.");
  if (!folder) {
    const auto there = files_.look(target);
    folder = there && there->folder;
  }
  return folder ? target + "/" + name : target;
}

void Sink::begin_file(const FileHeader& header) {
  UploadStart start;
  start.size = header.size;
  if (auto opened = files_.open_upload(++handle_, path_of(header.name), start); !opened) {
    refuse(opened.error());
    return;
  }
  left_ = header.size;
  state_ = left_ == 0 ? State::kEnd : State::kBytes;
  agree();
}

void Sink::begin_folder(const FolderHeader& header) {
  if (!command_.recursive) {
    refuse({Kind::kInvalid, "a folder needs scp -r"});
    return;
  }
  if (folders_.size() >= kDeepest) {
    refuse({Kind::kInvalid, fmt::format("'{}' is more than {} folders deep",
                                        base::printable(header.name), kDeepest)});
    return;
  }
  const auto path = path_of(header.name);
  if (auto made = files_.make_folder(path); !made) {
    refuse(made.error());
    return;
  }
  folders_.push_back(path);
  agree();
}

void Sink::file_ended(char mark) {
  if (mark == '\0') {
    state_ = State::kFiling;
    files_.commit(handle_, true);
  } else if (mark == '\1' || mark == '\2') {
    state_ = State::kComplaint;
  } else {
    files_.abandon(handle_, "more bytes arrived than were announced");
    give_up("more bytes arrived than were announced");
  }
}

void Sink::filed(FileHandle, const base::Outcome<void>& done) {
  if (state_ != State::kFiling) return;
  state_ = ended_ ? State::kOver : State::kLine;
  if (done) {
    agree();
  } else {
    refuse(done.error());
  }
}

void Sink::refuse(const base::Refusal& refusal) {
  out_ += complaint(base::in_full(refusal));
  status_ = 1;
}

void Sink::give_up(const std::string& sentence) {
  out_ += complaint(sentence);
  // The client may be in the middle of its bytes, and read this only at their end.
  remark_ = sentence;
  status_ = 1;
  state_ = State::kOver;
}

void Sink::say(base::ByteBuffer& to, std::size_t) {
  to.insert(to.end(), out_.begin(), out_.end());
  out_.clear();
}

void Sink::input_ended(InputEnd how) {
  const bool cleanly = how != InputEnd::kGone;
  ended_ = true;
  if (cleanly && state_ == State::kFiling) return;
  if (cleanly && state_ == State::kEnd) return file_ended('\0');
  const bool open =
      state_ == State::kBytes || state_ == State::kEnd || state_ == State::kComplaint;
  if (open) files_.abandon(handle_, "the client disconnected");
  if (open || !line_.empty()) status_ = 1;
  state_ = State::kOver;
}

}  // namespace vantro::wire::scp
