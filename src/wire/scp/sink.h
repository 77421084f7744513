// The server's end of an upload with SCP ("scp -t"): receives files one after the other.
//
//   zero -> the client's "C0644 SIZE NAME" -> zero -> the bytes and its zero byte -> the
//   file is on disk -> zero -> the next line
//
// The last zero is sent after the durable commit and not before. Some clients leave their
// own out and end their data; if everything that they announced has arrived, that is as
// good. With -r folders become parts of names.
#pragma once

#include <string>
#include <vector>

#include "wire/dialogue.h"
#include "wire/scp/command.h"
#include "wire/scp/header.h"

namespace vantro::wire::scp {

class Sink final : public Dialogue {
 public:
  // `files` must outlive it. REQUIRES: command.sends
  Sink(Files& files, Command command);

  bool wants() const override;
  void take(base::ByteView bytes) override;
  void input_ended(InputEnd how) override;
  void say(base::ByteBuffer& to, std::size_t most) override;
  void synced(FileHandle, const base::Outcome<void>&) override {}
  void filed(FileHandle handle, const base::Outcome<void>& done) override;
  void quiet() override {}
  std::string remark() override;
  std::optional<int> over() const override;

 private:
  enum class State { kLine, kBytes, kEnd, kComplaint, kFiling, kOver };

  void line(std::string_view text);
  void begin_file(const FileHeader& header);
  void begin_folder(const FolderHeader& header);
  // The client's byte after the file's last one.
  void file_ended(char mark);
  void agree() { out_ += '\0'; }
  void refuse(const base::Refusal& refusal);
  // Nothing more can be parsed, or it would be in vain.
  void give_up(const std::string& sentence);
  // The path of a file or folder of that name, in the open folder.
  std::string path_of(const std::string& name);

  Files& files_;
  Command command_;
  State state_ = State::kLine;
  std::string line_;                  // as far as it has arrived
  std::vector<std::string> folders_;  // the open ones, each with its whole path
  FileHandle handle_ = 0;
  std::uint64_t left_ = 0;  // of the file's bytes
  std::string out_;
  std::string remark_;
  bool ended_ = false;  // the client has ended its data
  int status_ = 0;
};

}  // namespace vantro::wire::scp
