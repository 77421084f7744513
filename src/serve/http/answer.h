// The answers to devices, made on the disk pool by asking the gate.
#pragma once

#include <string>
#include <vector>

#include "base/outcome.h"
#include "gate/gate.h"
#include "net/http/answer.h"
#include "wire/http/fields.h"

namespace vantro::serve::http {

using net::http::Answer;
using net::http::Head;

// In plain words, or as JSON (RFC 9457) if that is wanted.
Answer refusal_answer(const base::Refusal& refusal, wire::http::Form form);
// The same with a status that no refusal has.
Answer plain_answer(int status, const std::string& sentence, wire::http::Form form);

// GET and HEAD: a file, a part of it, a folder's listing, or a refusal. May wait for the
// disk. `path` is decoded and begins with "/".
Answer fetch_answer(gate::Gate& gate, const gate::Asker& asker, const Head& head,
                    const std::string& path);

// After a commit: 201 with its address and what was filed.
Answer filed_answer(const gate::Filed& filed, wire::http::Form form);

// The digests that a sender announces. kInvalid if a field is malformed.
base::Outcome<std::vector<crypto::Expected>> announced_digests(const Head& head);

}  // namespace vantro::serve::http
