// The server's end of a fetch with SCP ("scp -f"): sends files one after the other.
//
//   wait for the client's zero byte -> "C0644 SIZE NAME" -> zero -> the bytes and a zero
//   byte -> zero -> the next file
//
// A refused name gets an error line in place of its header, and the next one follows. A
// file is complete when the client has sent its zero byte after the last byte; some only
// end their data, when they have everything.
#pragma once

#include <string>

#include "wire/dialogue.h"
#include "wire/scp/command.h"

namespace vantro::wire::scp {

class Source final : public Dialogue {
 public:
  // `files` must outlive it. REQUIRES: !command.sends
  Source(Files& files, Command command);

  bool wants() const override;
  void take(base::ByteView bytes) override;
  void input_ended(InputEnd how) override;
  void say(base::ByteBuffer& to, std::size_t most) override;
  void synced(FileHandle, const base::Outcome<void>&) override {}
  void filed(FileHandle, const base::Outcome<void>&) override {}
  void quiet() override {}
  std::string remark() override;
  std::optional<int> over() const override;

 private:
  // The meaning of the client's next zero byte.
  enum class State { kBegin, kTimes, kHeader, kBytes, kEnd, kOver };

  void agreed();
  void disagreed(bool fatal, const std::string& text);
  void next_file();
  base::Outcome<Entry> open_next();
  void say_header();
  void end_file(ReadEnd how, const std::string& why);

  Files& files_;
  Command command_;
  std::size_t next_ = 0;  // of the command's paths
  State state_ = State::kBegin;
  FileHandle handle_ = 0;
  Entry file_;              // while one is open
  std::uint64_t sent_ = 0;  // of its bytes
  std::string out_;         // sent before anything else
  std::string complaint_;   // of the client, as far as it has arrived
  std::string remark_;
  int status_ = 0;
};

}  // namespace vantro::wire::scp
