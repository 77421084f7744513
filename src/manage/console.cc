#include "manage/console.h"

#include <algorithm>
#include <fmt/format.h>
#include <string>

#include "base/outcome.h"
#include "base/visible_name.h"
#include "manage/answers.h"

namespace vantro::manage {
namespace {

constexpr std::string_view kIndex = "/index.html";
constexpr const char* kNotBuilt =
    "This vantrod was built without the console (VANTRO_CONSOLE=OFF). Use the client: "
    "vantro --help\n";

// Only the server's own files: no other host, no script or style in the page, no form
// that the browser would send away. The policy "vantro" lets through one kind of script
// address: the worker that computes checksums.
constexpr const char* kPolicy =
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; "
    "connect-src 'self'; worker-src 'self'; manifest-src 'self'; form-action 'none'; "
    "base-uri 'none'; frame-ancestors 'none'; require-trusted-types-for 'script'; "
    "trusted-types vantro";

std::string_view path_of(const net::http::Head& head) {
  const std::string_view target = head.target;
  return target.substr(0, target.find('?'));
}

const ConsoleFile* find(std::span<const ConsoleFile> files, std::string_view path) {
  const auto found = std::find_if(files.begin(), files.end(),
                                  [&](const auto& one) { return one.path == path; });
  return found == files.end() ? nullptr : &*found;
}

}  // namespace

bool is_for_console(const net::http::Head& head) {
  const auto path = path_of(head);
  return (head.method == "GET" || head.method == "HEAD") && path.starts_with('/') &&
         !path.starts_with("/v1/") && path != "/v1" && path != "/metrics";
}

net::http::Answer console_answer(const net::http::Head& head,
                                 std::span<const ConsoleFile> files) {
  net::http::Answer answer;
  if (files.empty()) {
    answer = text(404, "text/plain; charset=utf-8", kNotBuilt);
    answer.without_body = head.method == "HEAD";
    return answer;
  }
  const auto path = path_of(head);
  const auto* file = find(files, path);
  if (file == nullptr) file = find(files, kIndex);
  answer.set("X-Frame-Options", "DENY");
  answer.set("Content-Security-Policy", kPolicy);
  answer.set("Referrer-Policy", "no-referrer");
  answer.set("Cross-Origin-Opener-Policy", "same-origin");
  // Asked for each time, and usually answered by 304: a page never runs with the code of
  // another version of the server.
  answer.set("Cache-Control", "no-cache");
  answer.set("Vary", "Accept-Encoding");
  const bool by_gzip =
      base::folded(head.field("accept-encoding")).find("gzip") != std::string::npos;
  const auto tag = fmt::format("\"{}{}\"", file->tag, by_gzip ? "-gz" : "");
  answer.set("ETag", tag);
  if (head.field("if-none-match") == tag) {
    answer.status = 304;
    answer.length = by_gzip ? file->gzipped.size() : file->bytes.size();
    answer.without_body = true;
    return answer;
  }
  if (by_gzip) answer.set("Content-Encoding", "gzip");
  answer.give(std::string(file->type),
              std::string(by_gzip ? file->gzipped : file->bytes));
  answer.without_body = head.method == "HEAD";
  return answer;
}

}  // namespace vantro::manage
