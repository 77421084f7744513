#include "serve/notice/message.h"

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>
#include <unistd.h>

namespace vantro::serve::notice {
namespace {

Message message() {
  return {"0123", "disk-low", "state]\"\\x", false, 1795934867120, "12 MiB free", "reed"};
}

TEST(NoticeMessage, IsACloudEvent) {
  const auto event = nlohmann::json::parse(cloud_event(message()));
  EXPECT_EQ(event["specversion"], "1.0");
  EXPECT_EQ(event["id"], "0123");
  EXPECT_EQ(event["source"], "/vantro/reed");
  EXPECT_EQ(event["type"], "vantro.disk-low.begun");
  EXPECT_EQ(event["time"], "2026-11-29T06:47:47.120Z");
  EXPECT_EQ(event["datacontenttype"], "application/json");
  EXPECT_EQ(event["data"]["sentence"], "12 MiB free");
  EXPECT_EQ(event["data"]["over"], false);
}

TEST(NoticeMessage, IsALineOfSyslog) {
  EXPECT_EQ(
      syslog_line(message()),
      "<28>1 2026-11-29T06:47:47.120Z reed vantrod " + std::to_string(::getpid()) +
          " disk-low [vantro@32473 event=\"disk-low\" "
          "subject=\"state\\]\\\"\\\\x\" over=\"no\"] disk-low (state]\"\\x): 12 MiB "
          "free");
  auto over = message();
  over.over = true;
  EXPECT_TRUE(syslog_line(over).starts_with("<29>1 "));
}

TEST(NoticeMessage, IsAMailInWhichNothingCanBeAddedToTheHeader) {
  auto hostile = message();
  hostile.subject = "x\r\nBcc: everybody@example.net";
  const auto text = mail(hostile, "vantro@example.net", "night@example.net");
  const auto head = text.substr(0, text.find("\r\n\r\n"));
  EXPECT_EQ(head.find("\r\nBcc:"), std::string::npos) << head;
  EXPECT_NE(head.find("Date: Sun, 29 Nov 2026 06:47:47 +0000\r\n"), std::string::npos);
  EXPECT_NE(head.find("Subject: vantro on reed: disk-low "), std::string::npos);
  EXPECT_NE(text.find("12 MiB free.\r\n"), std::string::npos);
}

}  // namespace
}  // namespace vantro::serve::notice
