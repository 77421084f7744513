#include "manage/routes.h"

#include "api/operations.h"
#include "fleet/device.h"
#include "manage/token_file.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::manage {
namespace {

class RoutesTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    service_ = std::unique_ptr<Service>(
        new Service{*repository_, *gate_, verifier_, 0, clock_, "0", 0, {}});
    routes_ = make_routes(*service_);
  }
  // The answer to a GET as JSON text, or the refusal's sentence.
  std::string get(const std::string& target) {
    const auto matched = match(routes_, "GET", target);
    if (!matched) return matched.error().sentence;
    const auto answer = std::get<TextWork>(matched->route->work)(matched->call, "");
    return answer ? *answer : base::in_full(answer.error());
  }

  upkeep::Verifier verifier_{*repository_};
  std::unique_ptr<Service> service_;
  std::vector<Route> routes_;
};

TEST_F(RoutesTest, MatchesPathsAndDecodesThem) {
  const auto matched =
      match(routes_, "GET", "/v1/backups/192.0.2.7/site%2Fx%20y.cfg?revision=2&x");
  ASSERT_TRUE(matched);
  EXPECT_EQ(matched->call.values.at("holder"), "192.0.2.7");
  EXPECT_EQ(matched->call.values.at("name"), "site/x y.cfg");
  EXPECT_EQ(matched->call.values.at("revision"), "2");
  EXPECT_EQ(matched->call.values.at("x"), "");
}

TEST_F(RoutesTest, SaysWhatIsWrongWithACall) {
  EXPECT_EQ(get("/v2/images"),
            "there is nothing at /v2/images; GET /v1/routes lists what there is");
  EXPECT_EQ(get("/v1/images/a%2"), "a '%' in the address is not followed by two digits");
  EXPECT_EQ(match(routes_, "DELETE", "/v1/images/x").error().sentence,
            "/v1/images/x is called with GET, PUT, PATCH, not DELETE");
  EXPECT_EQ(get("/v1/ledger?limit=0"), "limit: '0' is not a number from 1 up");
  EXPECT_EQ(
      get("/v1/backups?holder=router"),
      "'router' is no device that is known, and no IP address; 'vantro device list' "
      "shows the devices");
  EXPECT_EQ(get("/v1/images/..%2Fx"), "'../x' holds '..', which is never followed");
}

TEST_F(RoutesTest, ShowsWhatIsThere) {
  ASSERT_TRUE(take_in("x-system-1.img", "bytes"));
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  EXPECT_NE(get("/v1/images").find(R"("name":"x-system-1.img")"), std::string::npos);
  EXPECT_NE(get("/v1/offers").find(R"("image":"x-system-1.img")"), std::string::npos);
  EXPECT_NE(get("/v1/backups?holder=192.0.2.7").find(R"("revision":1)"),
            std::string::npos);
  EXPECT_EQ(get("/v1/backups?holder=192.0.2.8"), R"({"backups":[],"next":""})");
  EXPECT_EQ(get("/v1/images/x-sytsem-1.img"),
            "there is no image 'x-sytsem-1.img' in the catalogue; nearest: "
            "'x-system-1.img'");
  EXPECT_NE(get("/v1/routes").find(R"("path":"/v1/events")"), std::string::npos);
}

TEST_F(RoutesTest, TellsTroubleUntilItIsMended) {
  const auto sha256 = take_in("x.img", "bytes")->image.digests.sha256;
  std::filesystem::remove(vault_path(sha256));
  ASSERT_TRUE(upkeep::recover(*repository_, 0, log_));
  EXPECT_NE(get("/v1/status").find("x.img; the same bytes taken in again mend it"),
            std::string::npos)
      << get("/v1/status");
  ASSERT_TRUE(take_in("x.img", "bytes"));
  EXPECT_NE(get("/v1/status").find(R"("trouble":[])"), std::string::npos);
}

TEST_F(RoutesTest, AnswerEveryOperationOfTheTableInItsOrder) {
  const auto operations = api::operations();
  ASSERT_EQ(routes_.size(), operations.size());
  for (std::size_t i = 0; i < routes_.size(); ++i) {
    EXPECT_EQ(routes_[i].operation, operations[i]) << operations[i]->path;
  }
}

TEST_F(RoutesTest, LeavesNothingButHealthOpenToAnyone) {
  for (const auto* one : api::operations()) {
    EXPECT_EQ(one->permission == api::Permission::kAnyone,
              one->path == std::string("/v1/health"))
        << one->path;
  }
}

// What the API calls a device's and an image's fields is what the core calls them.
TEST(Names, AreThoseOfTheCore) {
  auto device = api::shape_of<api::DeviceFields>().names();
  std::erase(device, "name");
  EXPECT_EQ(device, fleet::field_names());
  EXPECT_EQ(api::shape_of<api::FactFields>().names(), catalog::fact_names());
  for (const auto& fact : catalog::fact_names()) {
    EXPECT_NE(api::shape_of<api::AdoptWanted>().find(fact), nullptr) << fact;
    EXPECT_NE(api::shape_of<api::ImageFilter>().find(fact), nullptr) << fact;
    EXPECT_NE(api::shape_of<api::Facts>().find(fact), nullptr) << fact;
  }
}

TEST(OperatorToken, IsMadeOnceAndForTheOwnerOnly) {
  const fakes::ScratchFolder scratch;
  const auto made = operator_token(scratch / "token");
  ASSERT_TRUE(made);
  EXPECT_EQ(made->size(), 48u);
  EXPECT_EQ(operator_token(scratch / "token"), *made);
  EXPECT_EQ(std::filesystem::status(scratch / "token").permissions(),
            std::filesystem::perms::owner_read | std::filesystem::perms::owner_write);
  // As a crash left it in the middle of making it: it must not block every later start.
  fakes::write_file(scratch / "token", "");
  const auto anew = operator_token(scratch / "token");
  ASSERT_TRUE(anew) << anew.error().sentence;
  EXPECT_EQ(operator_token(scratch / "token"), *anew);
  fakes::write_file(scratch / "token", "too short\n");
  EXPECT_EQ(operator_token(scratch / "token").error().sentence,
            (scratch / "token") +
                " holds no token; remove it, and the next start makes a new one");
}

class LocationsTest : public RoutesTest {
 protected:
  void SetUp() override {
    RoutesTest::SetUp();
    const auto at = [](const char* text) { return *base::Endpoint::parse(text); };
    service_->devices = {{"tftp", at("0.0.0.0:69")},
                         {"http", at("0.0.0.0:8080")},
                         {"https", at("[2001:db8::1]:443")}};
    service_->own_addresses = [] {
      return std::vector{*base::Address::parse("192.0.2.10"),
                         *base::Address::parse("198.51.100.1"),
                         *base::Address::parse("127.0.0.1")};
    };
    service_->address_towards = [](const base::Address& device) {
      return device.text() == "203.0.113.9" ? base::Address::parse("198.51.100.1")
                                            : std::nullopt;
    };
    ASSERT_TRUE(take_in("north/x y.img", "bytes"));
  }
  // One line for each.
  std::string locations(const std::string& query) {
    const auto told = get("/v1/locations?" + query);
    const auto answer = api::read_answer<api::Locations>(told);
    if (!answer) return told;
    std::string text;
    for (const auto& one : answer->locations) {
      text += one.text;
      if (!one.note.empty()) text += " (" + one.note + ")";
      text += "\n";
    }
    return text;
  }
};

TEST_F(LocationsTest, ListEachAddressThatADeviceCouldType) {
  EXPECT_EQ(locations("image=north/x%20y.img"),
            "tftp://192.0.2.10/north/x%20y.img\n"
            "tftp://198.51.100.1/north/x%20y.img\n"
            "http://192.0.2.10:8080/north/x%20y.img\n"
            "http://198.51.100.1:8080/north/x%20y.img\n"
            "https://[2001:db8::1]/north/x%20y.img\n");
}

TEST_F(LocationsTest, TakeTheOneOnTheWayToTheDevice) {
  EXPECT_EQ(locations("image=north/x%20y.img&for=203.0.113.9"),
            "tftp://198.51.100.1/north/x%20y.img\n"
            "http://198.51.100.1:8080/north/x%20y.img\n"
            "https://[2001:db8::1]/north/x%20y.img\n");
  // No way there, but what listens on one address only is said.
  EXPECT_EQ(locations("image=north/x%20y.img&for=192.0.2.7"),
            "https://[2001:db8::1]/north/x%20y.img\n");
  EXPECT_EQ(locations("image=north/x%20y.img&for=100.64.0.1"),
            "https://[2001:db8::1]/north/x%20y.img (fetching is not open to 100.64.0.1 "
            "over https)\n");
}

TEST_F(LocationsTest, SayWhatIsMissing) {
  EXPECT_EQ(locations("image=none.img"), "there is no image 'none.img' in the catalogue");
  EXPECT_EQ(locations("image=north/x%20y.img&for=nowhere"),
            "'nowhere' is not an IP address");
  EXPECT_EQ(locations("for=192.0.2.7"),
            "the query parameter 'image' is missing: an image, or a name on offer");
  EXPECT_EQ(locations("image=north/x%20y.img&account=anonymous"),
            "there is no account 'anonymous'; 'vantro account list' shows what there is");
}

}  // namespace
}  // namespace vantro::manage
