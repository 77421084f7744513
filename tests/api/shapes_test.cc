#include "api/shapes.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include "api/backups.h"
#include "api/problem.h"
#include "base/http_status.h"

namespace vantro::api {
namespace {

using nlohmann::json;

TEST(Shapes, ComeBackAsTheyWere) {
  Backup backup;
  backup.address = "192.0.2.7";
  backup.name = "site/x.cfg";
  backup.revision = 3;
  backup.complete = true;
  backup.size = 5'000'000'000;
  backup.digests = Digests{"a", "b", "c", "d"};
  const json written = backup;
  EXPECT_EQ(json(written.get<Backup>()), written);
  EXPECT_EQ(written["announced"], nullptr);
  EXPECT_EQ(written["size"], 5'000'000'000);
}

TEST(Shapes, KeepDefaultsForWhatAnOlderServerDoesNotSend) {
  const auto transfer =
      json::parse(R"({"id": 7, "name": "x", "total": null})").get<Transfer>();
  EXPECT_EQ(transfer.id, 7u);
  EXPECT_EQ(transfer.total, std::nullopt);
  EXPECT_EQ(transfer.resent, 0u);
  EXPECT_TRUE(json::parse("{}").get<Backup>().kept);
}

TEST(Shapes, OfAStatusHoldItsListeners) {
  Status status;
  status.listeners = {{"tftp", "192.0.2.10:69"}};
  status.trouble = {"gone from vault/: x.img"};
  EXPECT_EQ(json(json(status).get<Status>()), json(status));
}

TEST(Problem, CarriesTheRefusalInTheFormOfRfc9457) {
  const auto problem = problem_of({base::Kind::kNotFound, "there is no image 'x'", "y"});
  EXPECT_EQ(json(problem), json::parse(R"({
    "type": "urn:vantro:problem:not-found", "title": "Not found", "status": 404,
    "detail": "there is no image 'x'", "kind": "not-found", "nearest": "y",
    "expected": "", "actual": ""})"));
}

TEST(Problem, HasAStatusForEveryKind) {
  using base::Kind;
  for (const auto& [kind, status] : {std::pair{Kind::kNotFound, 404},
                                     {Kind::kDenied, 403},
                                     {Kind::kExists, 409},
                                     {Kind::kInvalid, 400},
                                     {Kind::kTooLarge, 413},
                                     {Kind::kBusy, 503},
                                     {Kind::kFull, 507},
                                     {Kind::kMismatch, 422},
                                     {Kind::kCorrupt, 500},
                                     {Kind::kIo, 500}}) {
    EXPECT_EQ(base::http_status(kind), status) << base::word(kind);
  }
}

}  // namespace
}  // namespace vantro::api
