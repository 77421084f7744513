#include "wire/http/fields.h"

#include <gtest/gtest.h>

#include "base/base64.h"
#include "wire/http/conditions.h"
#include "wire/http/digest_field.h"
#include "wire/http/target.h"

namespace vantro::wire::http {
namespace {

TEST(Base64, GoesBothWays) {
  for (const std::string text : {"", "f", "fo", "foo", "foob", "fooba", "foobar"}) {
    const auto back = base::parse_base64(base::base64(base::as_bytes(text)));
    ASSERT_TRUE(back);
    EXPECT_EQ(base::as_text(*back), text);
  }
  EXPECT_EQ(base::base64(base::as_bytes("foob")), "Zm9vYg==");
  for (const auto* bad : {"Zg", "Z===", "=Zg=", "Zg=a", "Zm9v\n", "Zm9vYg==Zm9v"}) {
    EXPECT_FALSE(base::parse_base64(bad)) << bad;
  }
}

TEST(Basic, IsReadWithColonsInThePassword) {
  const auto read =
      parse_basic("bAsIc " + base::base64(base::as_bytes("night:pass:word")));
  ASSERT_TRUE(read);
  EXPECT_EQ(read->name, "night");
  EXPECT_EQ(read->password, "pass:word");
  // A zero byte is one of them and ends nothing.
  const std::string_view with_zero("night\0x:pass\0word", 17);
  const auto whole = parse_basic("Basic " + base::base64(base::as_bytes(with_zero)));
  ASSERT_TRUE(whole);
  EXPECT_EQ(whole->name + ":" + whole->password, with_zero);
  EXPECT_FALSE(parse_basic("Bearer abc"));
  EXPECT_FALSE(parse_basic("Basic " + base::base64(base::as_bytes("no colon"))));
  EXPECT_FALSE(parse_basic("Basic %%%"));
}

TEST(Accept, ChoosesOneOfThreeForms) {
  const struct {
    const char* accept;
    Form wanted;
  } cases[] = {
      {"", Form::kText},
      {"*/*", Form::kText},
      {"application/json", Form::kJson},
      {"application/json, text/plain;q=0.5", Form::kJson},
      {"application/json;q=0.4, text/plain;q=0.5", Form::kText},
      {"application/json;q=0", Form::kText},
      {"text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8", Form::kHtml},
      {"application/problem+json", Form::kJson},
      {"text/*", Form::kText},
      {"image/png", Form::kText},
  };
  for (const auto& one : cases)
    EXPECT_EQ(wanted_form(one.accept), one.wanted) << one.accept;
}

TEST(ListItems, KeepQuotedCommas) {
  using Items = std::vector<std::string_view>;
  EXPECT_EQ(list_items(R"("a,b" , c,, "d\"e,f")"),
            (Items{"\"a,b\"", "c", "\"d\\\"e,f\""}));
  EXPECT_EQ(list_items("\"unended, x"), (Items{"\"unended, x"}));
  EXPECT_EQ(list_items(" , "), Items{});
}

std::string digests(const std::string& field) {
  const auto read = parse_digest_field(field);
  if (!read) return read.error().sentence;
  std::string text;
  for (const auto& one : *read) text += one.algorithm + "=" + one.hex + ";";
  return text;
}

TEST(DigestField, IsReadStrictly) {
  EXPECT_EQ(digests("sha-256=:AQID:, MD5 = :/w==:;x=1"), "sha-256=010203;md5=ff;");
  EXPECT_EQ(digests("md5=:AQ==:, md5=:Ag==:"), "md5=02;");
  EXPECT_EQ(digests(""), "");
  for (const auto* bad : {"sha-256", "sha-256=AQID", "sha-256=:AQI:", "sha-256=::x",
                          "=:AQID:", "s h=:AQID:", "sha-256=:"}) {
    EXPECT_EQ(digests(bad),
              std::string("the digest '") + bad + "' is not of the form sha-256=:BASE64:")
        << bad;
  }
  EXPECT_EQ(digest_field("010203", "ff"), "sha-256=:AQID:, sha-512=:/w==:");
}

std::string target(const std::string& text) {
  const auto read = parse_target(text);
  if (!read) return read.error().sentence;
  return read->path + (read->query.empty() ? "" : "?" + read->query) +
         (read->is_folder ? " folder" : "");
}

TEST(Target, IsDecodedOnceAndNeverLeavesTheTree) {
  EXPECT_EQ(target("/x%20y.img?a=%20"), "/x y.img?a=%20");
  EXPECT_EQ(target("/a/b/"), "/a/b/ folder");
  EXPECT_EQ(target("http://198.51.100.1:80/x.img"), "/x.img");
  EXPECT_EQ(target("HTTP://198.51.100.1"), "/ folder");
  EXPECT_EQ(target("http://h?q"), "the address 'http://h?q' is not a path");
  // Decoded once only: what is left is a name with a '%' in it.
  EXPECT_EQ(target("/%252e%252e/x"), "/%2e%2e/x");
  for (const auto* bad : {"/../etc/passwd", "/a/../../b", "/%2e%2e/x", "/..%2fx",
                          "/a%5c..%5cx", "/.%2e/x", "/a/..", "/\\..\\x"}) {
    EXPECT_NE(target(bad).find("contains '..', which is never followed"),
              std::string::npos)
        << bad;
  }
  EXPECT_NE(target("/a%00b").find("holds a NUL"), std::string::npos);
  EXPECT_NE(target("/a%4").find("not followed by two digits"), std::string::npos);
  EXPECT_NE(target("*").find("is not a path"), std::string::npos);
  EXPECT_NE(target("/a#b").find("holds a '#'"), std::string::npos);
  EXPECT_EQ(path_of("north site/x+\xc3\xa9.img"), "/north%20site/x%2B%C3%A9.img");
}

TEST(Conditions, AreJudgedInTheRfcsOrder) {
  const Validators file{"\"abc\"", 784111777123};
  const auto verdict = [&](const Conditions& conditions) {
    return judge(conditions, file);
  };
  EXPECT_EQ(verdict({}), Verdict::kSend);
  EXPECT_EQ(verdict({"\"abc\"", "", "", "", ""}), Verdict::kSend);
  EXPECT_EQ(verdict({"*", "", "", "", ""}), Verdict::kSend);
  // A weak tag never matches where a strong one is wanted (RFC 9110, 13.1.1).
  EXPECT_EQ(verdict({"W/\"abc\"", "", "", "", ""}), Verdict::kPreconditionFailed);
  EXPECT_EQ(verdict({"\"x\"", "\"abc\"", "", "", ""}), Verdict::kPreconditionFailed);
  EXPECT_EQ(verdict({"", "\"x\", W/\"abc\"", "", "", ""}), Verdict::kNotModified);
  EXPECT_EQ(verdict({"", "*", "", "", ""}), Verdict::kNotModified);
  EXPECT_EQ(verdict({"", "", "Sun, 06 Nov 1994 08:49:37 GMT", "", ""}),
            Verdict::kNotModified);
  EXPECT_EQ(verdict({"", "", "Sun, 06 Nov 1994 08:49:36 GMT", "", ""}), Verdict::kSend);
  EXPECT_EQ(verdict({"", "", "nonsense", "", ""}), Verdict::kSend);
  // If-None-Match makes If-Modified-Since mute.
  EXPECT_EQ(verdict({"", "\"x\"", "Sun, 06 Nov 1994 08:49:37 GMT", "", ""}),
            Verdict::kSend);
  EXPECT_EQ(verdict({"", "", "", "Sun, 06 Nov 1994 08:49:36 GMT", ""}),
            Verdict::kPreconditionFailed);
  EXPECT_EQ(verdict({"", "", "", "Sun, 06 Nov 1994 08:49:37 GMT", ""}), Verdict::kSend);
}

TEST(Conditions, LetARangeBeFollowedOnlyOfThisVeryFile) {
  const Validators file{"\"abc\"", 784111777123};
  const auto applies = [&](std::string_view if_range) {
    return range_applies({"", "", "", "", if_range}, file);
  };
  EXPECT_TRUE(applies(""));
  EXPECT_TRUE(applies("\"abc\""));
  EXPECT_FALSE(applies("\"x\""));
  EXPECT_FALSE(applies("W/\"abc\""));
  EXPECT_TRUE(applies("Sun, 06 Nov 1994 08:49:37 GMT"));
  EXPECT_FALSE(applies("Sun, 06 Nov 1994 08:49:38 GMT"));
  EXPECT_FALSE(applies("nonsense"));
}

}  // namespace
}  // namespace vantro::wire::http
