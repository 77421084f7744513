// What is answered to a request, before it is sent: status, fields, and a body of texts
// and pieces of one file. Made on the disk pool by asking the gate; sent by a Connection.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "base/outcome.h"
#include "gate/gate.h"
#include "serve/http/request.h"
#include "wire/http/fields.h"

namespace vantro::serve::http {

// A piece of a body: a text, or `count` bytes of the granted file from `offset` on.
struct Piece {
  std::string text;
  std::uint64_t offset = 0;
  std::uint64_t count = 0;
};

struct Answer {
  int status = 200;
  std::vector<std::pair<std::string, std::string>> fields;
  std::vector<Piece> body;
  // The body's length as GET would have it: what HEAD and 304 tell.
  std::uint64_t length = 0;
  bool without_body = false;               // HEAD, 304
  std::shared_ptr<gate::ReadGrant> grant;  // ends when the body has arrived
  bool close = false;                      // the connection, after it

  void set(std::string name, std::string value) {
    fields.emplace_back(std::move(name), std::move(value));
  }
};

// In plain words, or as JSON (RFC 9457) where that is wanted.
Answer refusal_answer(const base::Refusal& refusal, wire::http::Form form);
// The same with a status that no refusal has.
Answer plain_answer(int status, const std::string& sentence, wire::http::Form form);

// GET and HEAD: a file, a part of it, a folder's listing, or a refusal. May wait for the
// disk. `path` is decoded and begins with "/".
Answer fetch_answer(gate::Gate& gate, const gate::Asker& asker, const Head& head,
                    const std::string& path);

// After a commit: 201 with where it is and what was filed.
Answer filed_answer(const gate::Filed& filed, wire::http::Form form);

// The digests that a sender announces. kInvalid if a field is malformed.
base::Outcome<std::vector<crypto::Expected>> announced_digests(const Head& head);

// Status line and fields, with the empty line. `now` for Date.
std::string head_text(const Answer& answer, bool http_1_0, bool keep_alive,
                      base::WallTime now);

}  // namespace vantro::serve::http
