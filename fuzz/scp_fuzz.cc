// SCP: arbitrary commands, lines, and bytes into both machines. The first byte says how
// the bytes are split; the first line is the command.
#include <cstdint>
#include <string_view>

#include "base/visible_name.h"
#include "fuzz/files_that_answer.h"
#include "wire/scp/command.h"
#include "wire/scp/header.h"
#include "wire/scp/sink.h"
#include "wire/scp/source.h"

using namespace vantro;
using namespace vantro::wire::scp;
using fuzz::must;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size < 1) return 0;
  const base::ByteView all(data + 1, size - 1);
  const auto text = base::as_text(all);
  const auto end = std::min(text.find('\n'), text.size());
  const auto line = text.substr(0, end);
  if (const auto header = parse_header(line)) {
    if (const auto* file = std::get_if<FileHeader>(&*header)) {
      must(file->name.find('/') == std::string::npos);
      // What was read is said the same way.
      auto said = file_line(file->size, file->name);
      said.pop_back();
      const auto again = parse_header(said);
      must(again && std::get<FileHeader>(*again).name == file->name);
      must(!file->name.empty() && file->name != "..");
    }
  }
  auto command = parse_command(line);
  if (!command || !*command) return 0;
  must(!(*command)->paths.empty());
  fuzz::FilesThatAnswer files;
  const std::size_t piece = data[0] == 0 ? all.size() + 1 : data[0];
  const auto rest = all.subspan(std::min(end + 1, all.size()));
  if ((*command)->sends) {
    Sink sink(files, std::move(**command));
    fuzz::talk(sink, files, rest, piece);
  } else {
    Source source(files, std::move(**command));
    fuzz::talk(source, files, rest, piece);
  }
  must(files.all_ended());
  return 0;
}
