#include "manage/console.h"

#include <gtest/gtest.h>
#include <string>
#include <vector>

namespace vantro::manage {
namespace {

using net::http::Head;

Head get(const std::string& target,
         std::vector<std::pair<std::string, std::string>> fields = {}) {
  Head head;
  head.method = "GET";
  head.target = target;
  head.fields = std::move(fields);
  return head;
}

std::string field(const net::http::Answer& answer, const std::string& name) {
  for (const auto& [one, value] : answer.fields) {
    if (one == name) return value;
  }
  return "";
}

std::string body(const net::http::Answer& answer) {
  std::string all;
  for (const auto& one : answer.body) all += one.text;
  return all;
}

const std::vector<ConsoleFile> kFiles{
    {"/index.html", "text/html; charset=utf-8", "the page", "zipped page", "a1"},
    {"/console.js", "text/javascript; charset=utf-8", "the code", "zipped code", "b2"}};

TEST(Console, IsEverythingThatIsReadOutsideOfTheApi) {
  for (const auto* page :
       {"/", "/images?platform=x", "/devices/v1", "/console.js", "/v10"}) {
    EXPECT_TRUE(is_for_console(get(page))) << page;
  }
  for (const auto* call : {"/v1/images", "/v1", "/v1/", "*", "http://x/"}) {
    EXPECT_FALSE(is_for_console(get(call))) << call;
  }
  auto post = get("/images");
  post.method = "POST";
  EXPECT_FALSE(is_for_console(post));
}

TEST(Console, EveryAddressIsThePageAndFilesAreThemselves) {
  EXPECT_EQ(body(console_answer(get("/"), kFiles)), "the page");
  EXPECT_EQ(body(console_answer(get("/images/x.img?a=b"), kFiles)), "the page");
  const auto code = console_answer(get("/console.js?x"), kFiles);
  EXPECT_EQ(body(code), "the code");
  EXPECT_EQ(field(code, "Content-Type"), "text/javascript; charset=utf-8");
  EXPECT_EQ(field(code, "Content-Encoding"), "");
}

TEST(Console, ComesCompressedAndIsNotSentTwice) {
  const auto first =
      console_answer(get("/console.js", {{"accept-encoding", "br, GZIP"}}), kFiles);
  EXPECT_EQ(body(first), "zipped code");
  EXPECT_EQ(field(first, "Content-Encoding"), "gzip");
  EXPECT_EQ(field(first, "ETag"), "\"b2-gz\"");
  EXPECT_EQ(field(first, "Cache-Control"), "no-cache");
  const auto again = console_answer(
      get("/console.js", {{"accept-encoding", "gzip"}, {"if-none-match", "\"b2-gz\""}}),
      kFiles);
  EXPECT_EQ(again.status, 304);
  EXPECT_TRUE(again.without_body);
  // Of another version of the server.
  const auto newer = console_answer(
      get("/console.js", {{"accept-encoding", "gzip"}, {"if-none-match", "\"a9-gz\""}}),
      kFiles);
  EXPECT_EQ(newer.status, 200);
}

TEST(Console, HasAStrictPolicy) {
  const auto policy = field(console_answer(get("/"), kFiles), "Content-Security-Policy");
  EXPECT_NE(policy.find("default-src 'none'"), std::string::npos) << policy;
  EXPECT_NE(policy.find("require-trusted-types-for 'script'"), std::string::npos);
  EXPECT_EQ(policy.find("unsafe"), std::string::npos);
  EXPECT_EQ(policy.find("http"), std::string::npos);
  EXPECT_EQ(field(console_answer(get("/"), kFiles), "X-Frame-Options"), "DENY");
}

TEST(Console, SaysThatItWasNotBuilt) {
  const auto answer = console_answer(get("/"), {});
  EXPECT_EQ(answer.status, 404);
  EXPECT_EQ(body(answer),
            "This vantrod was built without the console (VANTRO_CONSOLE=OFF). Use the "
            "client: vantro --help\n");
}

// What crosses the wire when somebody opens it for the first time.
TEST(Console, StaysSmall) {
  std::size_t compressed = 0;
  for (const auto& one : console_files()) {
    compressed += one.gzipped.size();
    EXPECT_LT(one.gzipped.size(), one.bytes.size()) << one.path;
  }
  EXPECT_LT(compressed, 200u * 1024);
}

}  // namespace
}  // namespace vantro::manage
