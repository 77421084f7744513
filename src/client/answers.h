// What all commands have in common: asking the server, showing the answer, files.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "api/operations.h"
#include "api/rows.h"
#include "base/bytes.h"
#include "base/unique_fd.h"
#include "client/api_client.h"
#include "client/table.h"
#include "client/terminal.h"
#include "client/view.h"

namespace vantro::client {

struct Context {
  const ApiClient& api;
  const View& view;
  bool json = false;  // the API's answer unchanged, instead of text for people
};

using Done = Result<void>;

tl::unexpected<Failure> wrong_use(std::string sentence);

// The rows of a list for programs, as --jsonl or --csv asks.
Done show_rows(const Terminal& terminal, const View& view, const api::Rows& rows);

// The answer unchanged, row by row, or by `people(terminal, value)`.
template <class T, class F>
Done show_answer(const Context& context, const Result<Answered<T>>& answer, F people) {
  if (!answer) return tl::unexpected(answer.error());
  const Terminal terminal(stdout, &context.view);
  if (context.view.json_lines || context.view.csv) {
    const auto& shape = api::shape_of<T>();
    if (api::list_in(shape) != nullptr) {
      return show_rows(terminal, context.view, api::rows_of(answer->text, shape));
    }
  }
  if (context.json) {
    // An operation without an answer sends nothing.
    terminal.write_json((answer->text.empty() ? "{}" : api::indented(answer->text)) +
                        "\n");
  } else {
    people(terminal, answer->value);
  }
  if (!terminal.complaint().empty()) return wrong_use(terminal.complaint());
  return {};
}

// Calls an operation that takes no body, and shows the answer.
template <class Asked, class Answer, class F>
Done show(const Context& context,
          const api::Operation<Asked, api::Nothing, Answer>& operation,
          const Asked& asked, F people) {
  return show_answer(context, context.api.call(operation, asked), std::move(people));
}

// {"NAME": [ ... ]}, written row by row, for lists too long for memory.
class JsonList {
 public:
  JsonList(const Terminal& terminal, std::string name)
      : terminal_(terminal), name_(std::move(name)) {}
  // As JSON.
  void add(const std::string& item);
  void end();

 private:
  const Terminal& terminal_;
  std::string name_;
  bool any_ = false;
};

void write_or(const Table& table, const Terminal& terminal, const std::string& if_empty);
// A digest, or that it is not computed yet.
std::string digest_text(const std::string& hex);
void write_digests(const Terminal& terminal, const api::Digests& digests);

// A signature or key as text, also where the file is binary OpenPGP.
Result<std::string> read_proof(const std::string& file);

tl::unexpected<Failure> file_failure(const std::string& file, int error_number);
// A future time as it was typed, in the API's form; empty for "ever". Says on standard
// error how it was understood, unless it was typed in full.
Result<std::string> iso_of(const Context& context, const std::string& typed);
// How many seconds it is until then; refused if it is not ahead.
Result<std::int64_t> time_until(const std::string& typed);
// The same for a past time.
Result<std::string> past_iso(const Context& context, const std::string& typed);
// Asks before an action that cannot be undone, unless `yes` was given. `question`:
// "Remove the image 'x' and its bytes?". Refused where nobody can answer.
Done ask_first(const Context& context, bool yes, const std::string& question);

// A regular file to read, with its size.
struct OpenedFile {
  base::UniqueFd fd;
  std::uint64_t size = 0;
};
Result<OpenedFile> open_file(const std::string& file);
// All of it, at most `most` bytes; "-" is standard input.
Result<std::string> read_text(const std::string& file, std::size_t most = 16 << 20);

// What must arrive; an empty value is not compared.
struct Recorded {
  std::optional<std::uint64_t> size;
  std::string sha256;
};
// Saves bytes of the server to a file, under a temporary name first, so that the file is
// whole or does not exist. "-" is standard output. An existing file is overwritten only
// with `force`.
Done save(const Context& context, const std::string& target, const std::string& file,
          bool force, const Recorded& recorded);

}  // namespace vantro::client
