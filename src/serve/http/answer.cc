#include "serve/http/answer.h"

#include <algorithm>
#include <array>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/http_date.h"
#include "base/http_status.h"
#include "base/percent.h"
#include "base/visible_name.h"
#include "serve/http/listing.h"
#include "serve/http/upload.h"
#include "serve/shared.h"
#include "wire/http/conditions.h"
#include "wire/http/digest_field.h"
#include "wire/http/range.h"
#include "wire/http/target.h"

namespace vantro::serve::http {
namespace {

using base::Kind;
using base::Refusal;
using nlohmann::json;
using wire::http::Form;

// A file up to this size is read when it is opened and sent with its head in one go.
constexpr std::uint64_t kSmallFile = 64 * 1024;
constexpr const char* kBoundary = "vantro-part-5f2b7c31e0a94d68";
constexpr const char* kRetryAfterSeconds = "10";

std::string dump(const json& value) {
  return value.dump(-1, ' ', false, json::error_handler_t::replace);
}

// A grant on its way to the device.
class Sent final : public net::http::Delivery {
 public:
  explicit Sent(gate::ReadGrant grant)
      : grant_(std::make_shared<gate::ReadGrant>(std::move(grant))) {}

  gate::ReadGrant& grant() { return *grant_; }
  int file() const override { return grant_->file(); }
  std::uint64_t file_size() const override { return grant_->size(); }
  void moved(std::uint64_t acknowledged, bool stalled) override {
    grant_->transfer().advance({acknowledged, 0, stalled ? 1u : 0u});
  }
  void ended(net::TcpLane& lane, net::http::End how, const std::string& why) override {
    finish(lane, grant_, state_of(how), why);
  }

 private:
  std::shared_ptr<gate::ReadGrant> grant_;
};

const char* content_type(const std::string& name) {
  const auto folded = base::folded(name);
  for (const auto* ending : {".txt", ".md5", ".sha256", ".sha512"}) {
    if (folded.ends_with(ending)) return "text/plain; charset=utf-8";
  }
  return "application/octet-stream";
}

// RFC 6266: a plain name for old clients, then the real one.
std::string disposition(const std::string& name) {
  const auto last = std::string(base::last_part(name));
  std::string plain;
  for (const char c : last) {
    const auto byte = static_cast<unsigned char>(c);
    plain += byte < 0x20 || byte > 0x7e || c == '"' || c == '\\' ? '_' : c;
  }
  auto text = fmt::format("attachment; filename=\"{}\"", plain);
  if (plain != last) {
    text += "; filename*=UTF-8''" + base::percent_encoded(last, "~");
  }
  return text;
}

void describe(Answer& answer, const gate::Found& found, const std::string& etag) {
  answer.set("ETag", etag);
  answer.set("Last-Modified", base::http_date(found.since));
  answer.set("Accept-Ranges", "bytes");
  // A name may stand for another image tomorrow: caches must ask again.
  answer.set("Cache-Control", "no-cache");
  answer.set("Repr-Digest",
             wire::http::digest_field(found.digests.sha256, found.digests.sha512));
}

struct Plan {
  std::vector<net::http::Piece> body;
  std::uint64_t length = 0;  // of the body
  std::uint64_t bytes = 0;   // of the file
  std::string what;          // for the record
};

Plan plan_of(const std::vector<wire::http::ByteRange>& parts, const gate::Found& found) {
  Plan plan;
  const auto add_text = [&](std::string text) {
    plan.length += text.size();
    plan.body.push_back({std::move(text), 0, 0});
  };
  for (const auto& part : parts) {
    if (parts.size() > 1) {
      add_text(fmt::format("\r\n--{}\r\nContent-Type: {}\r\nContent-Range: {}\r\n\r\n",
                           kBoundary, content_type(found.name),
                           wire::http::content_range(part, found.size)));
    }
    plan.body.push_back({"", part.first, part.length()});
    plan.length += part.length();
    plan.bytes += part.length();
    plan.what += fmt::format("{}{}-{}", plan.what.empty() ? "bytes " : ", ", part.first,
                             part.last);
  }
  if (parts.size() > 1) add_text(fmt::format("\r\n--{}--\r\n", kBoundary));
  plan.what += fmt::format(" of {}", found.size);
  return plan;
}

// Pieces of a generated file, and small files, as texts.
base::Outcome<void> read_small_pieces(Answer& answer, const gate::ReadGrant& grant) {
  for (auto& piece : answer.body) {
    if (piece.count == 0 || (grant.file() >= 0 && piece.count > kSmallFile)) continue;
    auto bytes = grant.read(piece.offset, piece.count);
    if (!bytes) return base::refuse(bytes.error());
    piece.text.assign(base::as_text(*bytes));
    piece.count = 0;
  }
  return {};
}

Answer file_answer(gate::Gate& gate, const gate::Asker& asker, const Head& head,
                   gate::Found found, Form form) {
  Answer answer;
  const auto etag = "\"" + found.digests.sha256 + "\"";
  const auto if_match = head.field("if-match");
  const auto if_none_match = head.field("if-none-match");
  const auto if_modified_since = head.field("if-modified-since");
  const auto if_unmodified_since = head.field("if-unmodified-since");
  const auto if_range = head.field("if-range");
  const wire::http::Conditions conditions{if_match, if_none_match, if_modified_since,
                                          if_unmodified_since, if_range};
  const wire::http::Validators validators{etag, found.since};
  const bool head_only = head.method == "HEAD";
  switch (wire::http::judge(conditions, validators)) {
    case wire::http::Verdict::kNotModified:
      answer.status = 304;
      answer.without_body = true;
      answer.length = found.size;
      describe(answer, found, etag);
      return answer;
    case wire::http::Verdict::kPreconditionFailed:
      answer = plain_answer(412,
                            fmt::format("'{}' is another file now; its "
                                        "SHA-256 is now {}",
                                        found.name, found.digests.sha256),
                            form);
      answer.set("ETag", etag);
      return answer;
    case wire::http::Verdict::kSend:
      break;
  }
  wire::http::Ranges ranges;
  if (const auto range = head.field("range");
      !head_only && !range.empty() && wire::http::range_applies(conditions, validators)) {
    ranges = wire::http::parse_range(range, found.size);
  }
  if (ranges.what == wire::http::Ranges::What::kUnsatisfiable) {
    answer =
        plain_answer(416,
                     fmt::format("'{}' has {} bytes; the range begins behind its end",
                                 found.name, found.size),
                     form);
    answer.set("Content-Range", wire::http::content_range(found.size));
    answer.set("ETag", etag);
    return answer;
  }
  describe(answer, found, etag);
  const bool partial = ranges.what == wire::http::Ranges::What::kParts;
  auto plan = partial ? plan_of(ranges.parts, found)
                      : Plan{{{"", 0, found.size}}, found.size, found.size, ""};
  if (found.size == 0) plan.body.clear();
  if (partial && ranges.parts.size() > 1) {
    answer.set("Content-Type",
               fmt::format("multipart/byteranges; boundary={}", kBoundary));
  } else {
    answer.set("Content-Type", content_type(found.name));
    answer.set("Content-Disposition", disposition(found.name));
  }
  if (partial) {
    answer.status = 206;
    if (ranges.parts.size() == 1) {
      answer.set("Content-Range",
                 wire::http::content_range(ranges.parts.front(), found.size));
    }
  }
  answer.length = plan.length;
  if (head_only) {
    answer.without_body = true;
    return answer;
  }
  auto place = gate.admit(asker, gate::Direction::kFetch, found.name);
  if (!place) return refusal_answer(place.error(), form);
  std::optional<gate::Part> part;
  if (partial) part = gate::Part{plan.bytes, plan.what};
  auto grant = gate.open_read(asker, std::move(*place), std::move(found), part);
  if (!grant) return refusal_answer(grant.error(), form);
  const auto sent = std::make_shared<Sent>(std::move(*grant));
  answer.body = std::move(plan.body);
  if (auto read = read_small_pieces(answer, sent->grant()); !read) {
    sent->grant().transfer().end(gate::State::kFailed, read.error().sentence);
    return refusal_answer(read.error(), form);
  }
  answer.delivery = sent;
  return answer;
}

Answer listing_answer(gate::Gate& gate, const gate::Asker& asker, const Head& head,
                      const std::string& path, Form form) {
  const auto listing = gate.list(asker, path);
  if (!listing) return refusal_answer(listing.error(), form);
  Answer answer;
  answer.give(listing_type(form), listing_text(*listing, form));
  answer.set("Cache-Control", "no-cache");
  answer.set("Vary", "Accept");
  answer.without_body = head.method == "HEAD";
  return answer;
}

}  // namespace

Answer plain_answer(int status, const std::string& sentence, Form form) {
  Answer answer;
  answer.status = status;
  if (form == Form::kJson) {
    answer.give("application/problem+json", dump({{"title", net::http::reason_of(status)},
                                                  {"status", status},
                                                  {"detail", sentence}}) +
                                                "\n");
  } else {
    answer.give("text/plain; charset=utf-8", base::printable(sentence, 2000) + "\n");
  }
  answer.set("Cache-Control", "no-store");
  return answer;
}

Answer refusal_answer(const Refusal& refusal, Form form) {
  const int status = base::http_status(refusal.kind);
  Answer answer;
  if (form == Form::kJson) {
    answer.status = status;
    json problem{{"type", std::string("urn:vantro:problem:") + base::word(refusal.kind)},
                 {"title", net::http::reason_of(status)},
                 {"status", status},
                 {"kind", base::word(refusal.kind)},
                 {"detail", refusal.sentence}};
    if (!refusal.nearest.empty()) problem["nearest"] = refusal.nearest;
    answer.give("application/problem+json", dump(problem) + "\n");
    answer.set("Cache-Control", "no-store");
  } else {
    answer = plain_answer(status, base::in_full(refusal), form);
  }
  if (refusal.kind == Kind::kAccountNeeded) {
    answer.set("WWW-Authenticate", "Basic realm=\"vantro\", charset=\"UTF-8\"");
  }
  if (refusal.kind == Kind::kBusy) {
    answer.set("Retry-After", refusal.retry_after_s > 0
                                  ? std::to_string(refusal.retry_after_s)
                                  : kRetryAfterSeconds);
  }
  return answer;
}

Answer fetch_answer(gate::Gate& gate, const gate::Asker& asker, const Head& head,
                    const std::string& path) {
  const auto form = wire::http::wanted_form(head.field("accept"));
  const bool folder = path.back() == '/' || path.back() == '\\';
  Answer answer;
  if (folder) {
    answer = listing_answer(gate, asker, head, path, form);
  } else {
    // Without the first slash, like names in other records.
    auto found = gate.look_up(asker, std::string_view(path).substr(1));
    if (found) {
      answer = file_answer(gate, asker, head, std::move(*found), form);
    } else {
      answer = refusal_answer(found.error(), form);
    }
  }
  if (head.method == "HEAD") answer.without_body = true;
  return answer;
}

Answer filed_answer(const gate::Filed& filed, Form form) {
  Answer answer;
  answer.status = 201;
  const auto location = filed.path.empty() ? "" : wire::http::path_of(filed.path);
  if (form == Form::kJson) {
    json told{{"filed", filed.sentence},
              {"size", filed.size},
              {"sha256", filed.digests.sha256}};
    if (!filed.digests.sha512.empty()) told["sha512"] = filed.digests.sha512;
    if (filed.revision > 0) told["revision"] = filed.revision;
    if (!location.empty()) told["location"] = location;
    answer.give("application/json", dump(told) + "\n");
  } else {
    answer.give("text/plain; charset=utf-8",
                fmt::format("{}\nSHA-256 {}\n", base::printable(filed.sentence, 2000),
                            filed.digests.sha256));
  }
  if (!location.empty()) answer.set("Location", location);
  answer.set("Repr-Digest",
             wire::http::digest_field(filed.digests.sha256, filed.digests.sha512));
  answer.set("Cache-Control", "no-store");
  return answer;
}

base::Outcome<std::vector<crypto::Expected>> announced_digests(const Head& head) {
  using crypto::Algorithm;
  constexpr std::array<std::pair<std::string_view, Algorithm>, 4> kNames{
      {{"sha-256", Algorithm::kSha256},
       {"sha-512", Algorithm::kSha512},
       {"sha", Algorithm::kSha1},
       {"md5", Algorithm::kMd5}}};
  std::vector<crypto::Expected> expected;
  // Without a content coding, which is refused, the two mean the same bytes.
  for (const auto* field : {"repr-digest", "content-digest"}) {
    const auto digests = wire::http::parse_digest_field(head.field(field));
    if (!digests) {
      return base::refuse(Kind::kInvalid,
                          fmt::format("{}: {}", field, digests.error().sentence));
    }
    for (const auto& digest : *digests) {
      const auto* const known =
          std::find_if(kNames.begin(), kNames.end(),
                       [&](const auto& one) { return one.first == digest.algorithm; });
      // Unknown algorithms are ignored (RFC 9530, 2).
      if (known == kNames.end()) continue;
      expected.push_back({known->second, digest.hex});
    }
  }
  return expected;
}

}  // namespace vantro::serve::http
