#include "manage/routes.h"

#include "manage/server.h"
#include "tests/fakes/repository_fixture.h"

namespace vantro::manage {
namespace {

class RoutesTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    service_ =
        std::unique_ptr<Service>(new Service{*gate_, verifier_, 0, clock_, "0", 0, {}});
    routes_ = make_routes(*service_);
  }
  // The answer to a GET as JSON text, or the refusal's sentence.
  std::string get(const std::string& target) {
    const auto matched = match(routes_, "GET", target);
    if (!matched) return matched.error().sentence;
    const auto answer = std::get<JsonHandler>(matched->route->handler)(matched->call);
    return answer ? answer->dump() : base::in_full(answer.error());
  }

  upkeep::Verifier verifier_{*gate_};
  std::unique_ptr<Service> service_;
  std::vector<Route> routes_;
};

TEST_F(RoutesTest, MatchesPathsAndDecodesThem) {
  const auto matched =
      match(routes_, "GET", "/v1/backups/192.0.2.7/site%2Fx%20y.cfg?revision=2&x");
  ASSERT_TRUE(matched);
  EXPECT_EQ(matched->call.path.at("address"), "192.0.2.7");
  EXPECT_EQ(matched->call.path.at("name"), "site/x y.cfg");
  EXPECT_EQ(matched->call.query.at("revision"), "2");
  EXPECT_EQ(matched->call.query.at("x"), "");
}

TEST_F(RoutesTest, SaysWhatIsWrongWithACall) {
  EXPECT_EQ(get("/v2/images"),
            "there is nothing at /v2/images; GET /v1/routes lists what there is");
  EXPECT_EQ(get("/v1/images/a%2"), "a '%' in the address is not followed by two digits");
  EXPECT_EQ(match(routes_, "DELETE", "/v1/images/x").error().sentence,
            "/v1/images/x is called with GET, PUT, PATCH, not DELETE");
  EXPECT_EQ(get("/v1/ledger?limit=0"), "limit: '0' is no number from 1 up");
  EXPECT_EQ(get("/v1/backups?address=router"), "'router' is no IP address");
  EXPECT_EQ(get("/v1/images/..%2Fx"), "'../x' holds '..', which is never followed");
}

TEST_F(RoutesTest, ShowsWhatIsThere) {
  ASSERT_TRUE(take_in("x-system-1.img", "bytes"));
  ASSERT_TRUE(deposit("192.0.2.7", "x.cfg", "config"));
  EXPECT_NE(get("/v1/images").find(R"("name":"x-system-1.img")"), std::string::npos);
  EXPECT_NE(get("/v1/offers").find(R"("image":"x-system-1.img")"), std::string::npos);
  EXPECT_NE(get("/v1/backups?address=192.0.2.7").find(R"("revision":1)"),
            std::string::npos);
  EXPECT_EQ(get("/v1/backups?address=192.0.2.8"), R"({"backups":[]})");
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

TEST_F(RoutesTest, LeavesNothingButHealthOpenToAnyone) {
  for (const auto& route : routes_) {
    EXPECT_EQ(route.permission == Permission::kAnyone,
              route.path == std::string("/v1/health"))
        << route.path;
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
  fakes::write_file(scratch / "token", "\n");
  EXPECT_EQ(operator_token(scratch / "token").error().sentence,
            (scratch / "token") +
                " holds no token; remove it, and the next start makes a new one");
}

}  // namespace
}  // namespace vantro::manage
