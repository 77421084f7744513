#include "manage/routes.h"

#include <map>
#include <set>

#include "api/operations.h"
#include "desk/devices.h"
#include "fleet/device.h"
#include "tests/fakes/repository_fixture.h"
#include "tests/fakes/start_up.h"

namespace vantro::manage {
namespace {

class RoutesTest : public fakes::RepositoryFixture {
 protected:
  void SetUp() override {
    RepositoryFixture::SetUp();
    verifier_ = std::make_unique<upkeep::Verifier>(*repository_);
    service_ = std::unique_ptr<Service>(
        new Service{*repository_, *gate_, *verifier_, clock_, "0", 0});
    routes_ = make_routes(*service_);
  }
  // The answer to a GET as JSON text, or the refusal's sentence.
  std::string get(const std::string& target) {
    const auto matched = match(routes_, "GET", target);
    if (!matched) return matched.error().sentence;
    const auto answer = std::get<TextWork>(matched->route->work)(matched->call, "");
    return answer ? *answer : base::in_full(answer.error());
  }

  std::unique_ptr<upkeep::Verifier> verifier_;
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
            "there is nothing at /v2/images; GET /v1/routes lists all calls");
  EXPECT_EQ(get("/v1/images/a%2"), "a '%' in the address is not followed by two digits");
  EXPECT_EQ(match(routes_, "POST", "/v1/images/x").error().sentence,
            "/v1/images/x is called with GET, PUT, PATCH, DELETE, not POST");
  EXPECT_EQ(get("/v1/ledger?limit=0"), "limit: '0' is not a number from 1 up");
  EXPECT_EQ(get("/v1/backups?holder=router"),
            "'router' is neither a known device nor an IP address; 'vantro device list' "
            "shows the devices");
  EXPECT_EQ(get("/v1/images/..%2Fx"), "'../x' contains '..', which is never followed");
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
            "unknown image 'x-sytsem-1.img'; nearest: "
            "'x-system-1.img'");
  EXPECT_NE(get("/v1/routes").find(R"("path":"/v1/events")"), std::string::npos);
}

TEST_F(RoutesTest, ListsDevicesByPages) {
  desk::Devices devices(*repository_, operator_);
  for (const auto* name : {"osier-sw", "heron-rtr", "heron-sw"}) {
    ASSERT_TRUE(devices.add(name, {{"site", name[0] == 'h' ? "Heron" : "Osier Works"},
                                   {"platform", "lattice24"}}));
  }
  ASSERT_TRUE(devices.change("osier-sw", {{"addresses", "192.0.2.7"}}));
  const auto names = [&](const std::string& query) {
    const auto text = get("/v1/devices" + query);
    std::string found;
    for (const auto* name : {"heron-rtr", "heron-sw", "osier-sw"}) {
      if (text.find(fmt::format("\"name\":\"{}\"", name)) != std::string::npos) {
        found += std::string(name) + " ";
      }
    }
    return found + text.substr(text.find("\"in_all\""));
  };
  EXPECT_EQ(names("?limit=2"), R"(heron-rtr heron-sw "in_all":3})");
  EXPECT_EQ(names("?limit=2&skip=2"), R"(osier-sw "in_all":3})");
  EXPECT_EQ(names("?site=HERON"), R"(heron-rtr heron-sw "in_all":2})");
  EXPECT_EQ(names("?text=192.0.2"), R"(osier-sw "in_all":1})");
  EXPECT_EQ(names("?text=works"), R"(osier-sw "in_all":1})");
  EXPECT_EQ(names("?platform=causeway4"), R"("in_all":0})");
}

TEST_F(RoutesTest, TheLedgerIsFilteredByOutcomeAndByBytes) {
  ASSERT_TRUE(take_in("x.img", "bytes"));
  EXPECT_EQ(fetch("x.img"), "bytes");
  EXPECT_NE(fetch("y.img"), "");
  ASSERT_TRUE(repository_->ledger.flush());
  const auto refused = get("/v1/ledger?outcome=refused");
  EXPECT_NE(refused.find(R"("name":"y.img")"), std::string::npos) << refused;
  EXPECT_EQ(refused.find(R"("name":"x.img")"), std::string::npos) << refused;
  const auto sha256 = repository_->catalog.find("x.img")->digests.sha256;
  const auto fetches = get("/v1/ledger?event=fetch&sha256=" + sha256);
  EXPECT_NE(fetches.find("x.img"), std::string::npos) << fetches;
  EXPECT_EQ(fetches.find("y.img"), std::string::npos) << fetches;
  EXPECT_EQ(get("/v1/ledger?outcome=good"),
            "outcome: 'good' is not one of complete, failed, abandoned, refused, done");
}

TEST_F(RoutesTest, TellsTroubleUntilItIsMended) {
  const auto sha256 = take_in("x.img", "bytes")->image.digests.sha256;
  std::filesystem::remove(vault_path(sha256));
  ASSERT_TRUE(fakes::start_up(*repository_, 0, log_));
  EXPECT_NE(get("/v1/status").find("x.img; the same bytes added again mend it"),
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

// What each role may call, written down. Whoever adds an operation decides it here, too.
TEST_F(RoutesTest, EveryOperationNeedsTheRoleThatIsWrittenHere) {
  const std::map<std::string, std::set<std::string>> written{
      {"anyone", {"GET /v1/alive", "POST /v1/log-in"}},
      // Other servers; no person, whatever their role.
      {"mirror",
       {"POST /v1/mirror/news", "GET /v1/mirror/contents/{sha256}",
        "GET /v1/mirror/chunks/{sha256}", "POST /v1/mirror/ledger",
        "PUT /v1/mirror/backups/{sha256}"}},
      {"look",
       {"GET /v1/status", "GET /v1/transfers", "GET /v1/events", "GET /v1/changes",
        "GET /v1/contacts", "GET /v1/contacts/{address}", "GET /v1/ledger",
        "GET /v1/ledger-export", "GET /v1/ledger-verification", "GET /v1/accounts",
        "GET /v1/accounts/{name}/keys", "GET /v1/people", "GET /metrics", "GET /v1/drain",
        "GET /v1/snapshot", "GET /v1/notices",
        // One's own; those of others are refused inside.
        "GET /v1/people/{name}/tokens", "POST /v1/people/{name}/tokens",
        "PATCH /v1/people/{name}/tokens/{label}",
        "DELETE /v1/people/{name}/tokens/{label}", "DELETE /v1/log-in", "GET /v1/me",
        "POST /v1/me/password", "GET /v1/locations", "GET /v1/backups",
        "GET /v1/backup-overview", "GET /v1/backup-overdue", "GET /v1/backup-report",
        "GET /v1/backup-comparison", "GET /v1/backup-offers",
        "GET /v1/backups/{holder}/{name}", "GET /v1/backups/{holder}/{name}/content",
        "GET /v1/backups/{holder}/{name}/text", "POST /v1/backup-comparison",
        "GET /v1/devices", "GET /v1/devices/{name}", "GET /v1/sites", "GET /v1/images",
        "GET /v1/images/{name}", "GET /v1/images/{name}/content",
        "GET /v1/images/{name}/documents/{document}", "GET /v1/suggestions",
        "GET /v1/contents/{checksum}", "GET /v1/comparison", "GET /v1/offers",
        "GET /v1/offers/{name}/history", "GET /v1/checksums", "GET /v1/kits",
        "GET /v1/kits/{name}", "GET /v1/verification", "GET /v1/unrecorded",
        "GET /v1/nodes", "GET /v1/mirrors", "GET /v1/mirrors/{name}", "GET /v1/mirror",
        "GET /v1/routes", "GET /v1/openapi.json", "GET /v1/version-route",
        "GET /v1/devices/{name}/route", "GET /v1/route-rules", "GET /v1/jobs",
        "GET /v1/jobs/{device}", "GET /v1/jobs/{device}/sheet", "GET /v1/rollouts",
        "GET /v1/rollouts/{name}", "GET /v1/rollouts/{name}/table",
        "GET /v1/rollouts/{name}/readiness", "GET /v1/canary", "GET /v1/rescue-profiles",
        "GET /v1/rescues", "GET /v1/rescues/{number}", "GET /v1/pushes/{number}",
        "GET /v1/settings", "GET /v1/load", "GET /v1/interfaces", "GET /v1/find",
        "GET /v1/platforms", "GET /v1/lines",
        // A job remembers when it was looked at; nothing else changes.
        "POST /v1/readiness"}},
      {"operate",
       {"POST /v1/notices/test", "POST /v1/backup-thinning",
        "DELETE /v1/backup-offers/{name}", "POST /v1/backups/{holder}/{name}/pin",
        "POST /v1/backups/{holder}/{name}/offer",
        "POST /v1/backups/{holder}/{name}/image", "POST /v1/devices",
        "POST /v1/device-import", "PATCH /v1/devices/{name}", "DELETE /v1/devices/{name}",
        "POST /v1/devices/{name}/claim", "PATCH /v1/sites/{name}",
        "POST /v1/devices/{name}/report", "POST /v1/route-rules",
        "DELETE /v1/route-rules/{name}", "POST /v1/jobs", "DELETE /v1/jobs/{device}",
        "POST /v1/jobs/{device}/marks", "POST /v1/jobs/{device}/owner",
        "POST /v1/jobs/{device}/acknowledgement", "POST /v1/rollouts",
        "POST /v1/rollouts/{name}/continuation", "DELETE /v1/rollouts/{name}",
        "POST /v1/rescues", "DELETE /v1/rescues/{number}",
        // One's own uploads.
        "POST /v1/uploads", "GET /v1/uploads", "GET /v1/uploads/{number}",
        "PATCH /v1/uploads/{number}", "PUT /v1/uploads/{number}",
        "POST /v1/uploads/{number}/filing", "DELETE /v1/uploads/{number}",
        // With the right push; that is tried in end_to_end/push_test.cc.
        "POST /v1/pushes", "DELETE /v1/pushes/{number}", "PUT /v1/images/{name}",
        "PATCH /v1/images/{name}", "POST /v1/images/{name}/withdrawal",
        "DELETE /v1/images/{name}/withdrawal", "POST /v1/images/{name}/extraction",
        "POST /v1/recognition", "POST /v1/images/{name}/vouches",
        "DELETE /v1/images/{name}/vouches", "PUT /v1/images/{name}/documents/{document}",
        "DELETE /v1/images/{name}/documents/{document}", "POST /v1/offers",
        "PATCH /v1/offers/{name}", "DELETE /v1/offers/{name}", "POST /v1/kits",
        "PUT /v1/kits/{name}", "DELETE /v1/kits/{name}", "POST /v1/verification",
        "POST /v1/unrecorded/{name}", "DELETE /v1/unrecorded/{name}",
        "DELETE /v1/nodes/{name}", "POST /v1/mirrors/{name}/sync",
        "POST /v1/mirror/sync"}},
      {"administer",
       {"POST /v1/accounts", "PATCH /v1/accounts/{name}", "DELETE /v1/accounts/{name}",
        "POST /v1/accounts/{name}/keys", "DELETE /v1/images/{name}", "POST /v1/reload",
        "PUT /v1/drain", "DELETE /v1/drain", "POST /v1/snapshot", "DELETE /v1/snapshot",
        "DELETE /v1/accounts/{name}/keys", "POST /v1/people", "PATCH /v1/people/{name}",
        "DELETE /v1/people/{name}"}},
  };
  std::map<std::string, std::set<std::string>> found;
  for (const auto* one : api::operations()) {
    found[api::word(one->permission)].insert(std::string(one->method) + " " + one->path);
  }
  for (const auto& [role, operations] : written) EXPECT_EQ(found[role], operations);
  // And the table is what is gone by.
  using auth::Role;
  for (const auto role :
       {Role::kMirror, Role::kLook, Role::kOperate, Role::kAdminister}) {
    const desk::Caller caller{"anna", {role, {}}};
    for (const auto* one : api::operations()) {
      const auto needed = one->permission == api::Permission::kAdminister
                              ? Role::kAdminister
                          : one->permission == api::Permission::kOperate ? Role::kOperate
                          : one->permission == api::Permission::kMirror  ? Role::kMirror
                                                                         : Role::kLook;
      const bool allowed = needed == Role::kMirror ? role == needed : role >= needed;
      EXPECT_EQ(may(caller, one->permission).has_value(), allowed)
          << one->method << " " << one->path;
    }
  }
}

// What the API calls a device's and an image's fields is what the core calls them.
TEST(Names, AreThoseOfTheCore) {
  auto device = api::shape_of<api::DeviceFields>().names();
  std::erase(device, "name");
  auto known = fleet::field_names();
  const auto& state = fleet::state_field_names();
  known.insert(known.end(), state.begin(), state.end());
  known.emplace_back("member");
  EXPECT_EQ(device, known);
  EXPECT_EQ(api::shape_of<api::FactFields>().names(), catalog::fact_names());
  for (const auto& fact : catalog::fact_names()) {
    EXPECT_NE(api::shape_of<api::AdoptWanted>().find(fact), nullptr) << fact;
    EXPECT_NE(api::shape_of<api::ImageFilter>().find(fact), nullptr) << fact;
    EXPECT_NE(api::shape_of<api::Facts>().find(fact), nullptr) << fact;
  }
}

class LocationsTest : public RoutesTest {
 protected:
  void SetUp() override {
    RoutesTest::SetUp();
    const auto at = [](const char* text) { return *base::Endpoint::parse(text); };
    service_->surroundings.listening = [at] {
      return std::vector<base::Listening>{{"tftp", at("0.0.0.0:69")},
                                          {"http", at("0.0.0.0:8080")},
                                          {"https", at("[2001:db8::1]:443")}};
    };
    service_->surroundings.own_addresses = [] {
      return std::vector{*base::Address::parse("192.0.2.10"),
                         *base::Address::parse("198.51.100.1"),
                         *base::Address::parse("127.0.0.1")};
    };
    service_->surroundings.address_towards = [](const base::Address& device) {
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
  EXPECT_EQ(locations("image=none.img"), "unknown image 'none.img'");
  EXPECT_EQ(locations("image=north/x%20y.img&for=nowhere"),
            "'nowhere' is neither a known device nor an IP address; 'vantro device list' "
            "shows the devices");
  EXPECT_EQ(locations("for=192.0.2.7"),
            "the query parameter 'image' is missing: an image, or a name on offer");
  EXPECT_EQ(locations("image=north/x%20y.img&account=anonymous"),
            "unknown account 'anonymous'; 'vantro account list' shows all");
}

}  // namespace
}  // namespace vantro::manage
