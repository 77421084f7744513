#include "api/shapes.h"

#include <gtest/gtest.h>

#include "api/backups.h"
#include "api/catalogue.h"
#include "api/json.h"
#include "api/problem.h"
#include "base/http_status.h"

namespace vantro::api {
namespace {

std::optional<std::string> no_nearest(std::string_view, const std::vector<std::string>&) {
  return std::nullopt;
}

// What is wrong with a body, or the body as it was understood.
template <class T>
std::string body(std::string_view text) {
  T value;
  const auto read = read_body(text, shape_of<T>(), &value, no_nearest);
  return read ? json_of(value) : read.error().sentence;
}

TEST(Shapes, ComeBackAsTheyWere) {
  Backup backup;
  backup.address = "192.0.2.7";
  backup.name = "site/x\"\\\n.cfg";
  backup.revision = 3;
  backup.complete = true;
  backup.size = 5'000'000'000;
  backup.digests = Digests{"a", "b", "c", "d"};
  const auto written = json_of(backup);
  EXPECT_EQ(json_of(*read_answer<Backup>(written)), written);
  EXPECT_NE(written.find(R"("announced":null)"), std::string::npos);
  EXPECT_NE(written.find(R"("size":5000000000)"), std::string::npos);
  EXPECT_NE(written.find(R"("name":"site/x\"\\\n.cfg")"), std::string::npos) << written;
}

TEST(Shapes, AreWrittenInTheOrderOfTheirNames) {
  EXPECT_EQ(json_of(Change{31, "t", "offer", "x", "operator"}),
            R"({"at":"t","by":"operator","kind":"offer","object":"x","sequence":31})");
}

TEST(Shapes, KeepDefaultsForWhatAnOlderServerDoesNotSend) {
  const auto transfer = read_answer<Transfer>(
      R"({"id": 7, "name": "x", "total": null, "of a newer server": {}})");
  ASSERT_TRUE(transfer);
  EXPECT_EQ(transfer->id, 7u);
  EXPECT_EQ(transfer->total, std::nullopt);
  EXPECT_EQ(transfer->resent, 0u);
  EXPECT_TRUE(read_answer<Backup>("{}")->kept);
  EXPECT_FALSE(read_answer<Transfer>("[]"));
  EXPECT_FALSE(read_answer<Transfer>("{\"id\": "));
}

TEST(Shapes, WriteTextThatIsNotUtf8AsWhatCanBeRead) {
  Named named{"x\xff.cfg"};
  EXPECT_EQ(json_of(named), "{\"name\":\"x\xef\xbf\xbd.cfg\"}");
  EXPECT_FALSE(is_utf8(type_of<Named>(), &named));
  named.name = "x\xc3\xa4.cfg";
  EXPECT_TRUE(is_utf8(type_of<Named>(), &named));
  EXPECT_EQ(read_answer<Named>(json_of(named))->name, named.name);
}

TEST(Bodies, AreHeldAgainstTheirShape) {
  EXPECT_EQ(body<OfferWanted>(R"({"image": "x", "too": ""})"),
            "unknown field 'too'; known: image, name, to, over, until, any_platform");
  EXPECT_EQ(body<OfferWanted>(R"({"name": "x"})"), "'image' is missing: its name");
  EXPECT_EQ(body<OfferWanted>(R"({"image": 7})"), "'image' must be a text");
  EXPECT_EQ(body<OfferWanted>("[]"), "the body is not a JSON object");
  EXPECT_EQ(body<PinWanted>(R"({"pinned": "yes"})"), "'pinned' must be true or false");
  EXPECT_EQ(body<VerifyWanted>(R"({"unread_days": -1})"),
            "'unread_days' must be a whole number from 0 up");
  EXPECT_EQ(body<VerifyWanted>(R"({"bytes_per_second": 1e30})"),
            "'bytes_per_second' must be a whole number from 0 up");
  EXPECT_EQ(body<KitWanted>(R"({"name": "k", "images": ["a", 7]})"),
            "'images' must be a list of texts");
}

TEST(Bodies, MayLeaveOutWhatIsNotNeeded) {
  EXPECT_EQ(body<PinWanted>(""), R"({"pinned":true,"why":""})");
  EXPECT_EQ(body<PinWanted>(R"({"pinned": null})"), R"({"pinned":true,"why":""})");
  // One text stands for a list of one.
  EXPECT_NE(body<VouchGiven>(R"({"expect": "sha256:ab"})").find(R"(["sha256:ab"])"),
            std::string::npos);
}

TEST(Texts, AreTakenByNameWhereTheyAreGiven) {
  FactFields facts;
  facts.version = "7.6.0";
  facts.stage = "";
  const std::map<std::string, std::string> texts{{"stage", ""}, {"version", "7.6.0"}};
  EXPECT_EQ(given_texts(facts), texts);
  EXPECT_EQ(given_texts(with_texts(FactFields(), texts)), texts);
}

TEST(Problem, CarriesTheRefusalInTheFormOfRfc9457) {
  const auto problem = problem_of({base::Kind::kNotFound, "there is no image 'x'", "y"});
  EXPECT_EQ(json_of(problem),
            R"({"actual":"","detail":"there is no image 'x'","expected":"",)"
            R"("kind":"not-found","nearest":"y","status":404,"title":"Not found",)"
            R"("type":"urn:vantro:problem:not-found"})");
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
