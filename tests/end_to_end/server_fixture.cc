#include "tests/end_to_end/server_fixture.h"

#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <ostream>
#include <sys/stat.h>

template class nlohmann::basic_json<>;

NLOHMANN_JSON_NAMESPACE_BEGIN
void PrintTo(const json& value, std::ostream* out) { *out << value.dump(); }
NLOHMANN_JSON_NAMESPACE_END

namespace vantro::end_to_end {

nlohmann::json read_json(const std::string& text) {
  return nlohmann::json::parse(text, nullptr, false);
}

void ServerFixture::start(const Arguments& more, const Arguments& before) {
  Arguments arguments = before;
  arguments.insert(arguments.end(),
                   {vantrod_program(), "--state", state(), "--tftp-listen", tftp_listen_,
                    "--ftp-listen", ftp_listen_, "--http-listen", http_listen_,
                    "--ssh-listen", ssh_listen_, "--management-listen", "127.0.0.1:0",
                    "--management-socket", socket()});
  if (!database_.where().empty()) {
    arguments.insert(arguments.end(), {"--database", database_.where()});
  }
  arguments.insert(arguments.end(), more.begin(), more.end());
  if (!std::filesystem::exists(state())) {
    // As of an earlier version: it makes the persons 'operator' and 'secrets' of them.
    std::filesystem::create_directory(state());
    ::chmod(state().c_str(), 0700);
    fakes::write_file(state() + "/token", kOperatorToken + std::string("\n"));
    fakes::write_file(state() + "/secrets-token", kSecretsToken + std::string("\n"));
  }
  // What an earlier server said must not be taken for this one's.
  std::filesystem::remove(scratch_ / "server.out");
  server_ = std::make_unique<Process>(arguments, Environment{}, scratch_ / "server.out",
                                      scratch_ / "server.err");
  ASSERT_TRUE(eventually([&] {
    return server_out().find("Ready.") != std::string::npos || !server_->running();
  }));
  ASSERT_TRUE(server_->running()) << fakes::read_file(scratch_ / "server.err");
  tftp_port_ = number_behind("TFTP listens on " + tftp_host() + ":");
  if (ftp_listen_ != "none") ftp_port_ = number_behind("\nFTP listens on 127.0.0.1:");
  if (http_listen_ != "none") http_port_ = number_behind("HTTP listens on 127.0.0.1:");
  if (ssh_listen_ != "none") {
    ssh_port_ = number_behind("SSH (SCP and SFTP) listens on 127.0.0.1:");
  }
  management_port_ = number_behind("Management listens on http://127.0.0.1:");
}

void ServerFixture::stop() {
  server_->signal(SIGTERM);
  EXPECT_EQ(server_->wait(), 0) << fakes::read_file(scratch_ / "server.err");
}

void ServerFixture::TearDown() {
  if (server_ && server_->running()) stop();
}

Output ServerFixture::vantro(Arguments arguments, const std::string& folder) {
  arguments.insert(arguments.begin(), vantro_program());
  return run(arguments, client_environment(), "", folder);
}

Environment ServerFixture::client_environment() const {
  return {{"VANTRO_URL", socket()}, {"VANTRO_TOKEN", token()}, {"TZ", "UTC"}};
}

nlohmann::json ServerFixture::vantro_json(Arguments arguments) {
  arguments.insert(arguments.begin(), "--json");
  const auto output = vantro(arguments);
  EXPECT_EQ(output.code, 0) << output.err;
  return read_json(output.out);
}

void ServerFixture::take_in(const std::string& name, const std::string& bytes) {
  fakes::write_file(scratch_ / "image", bytes);
  const auto output = vantro({"image", "add", scratch_ / "image", "--name", name});
  ASSERT_EQ(output.code, 0) << output.err;
}

std::string ServerFixture::saved(const std::string& address, const std::string& name) {
  const auto output = vantro({"backup", "write", address, name, "--out", "-"});
  EXPECT_EQ(output.code, 0) << output.err;
  return output.out;
}

nlohmann::json ServerFixture::row(const std::string& event, const std::string& outcome) {
  nlohmann::json found;
  EXPECT_TRUE(eventually([&] {
    for (const auto rows = ledger(); const auto& one : rows) {
      if (one["event"] != event || one["outcome"] != outcome) continue;
      found = one;
      return true;
    }
    return false;
  })) << event
      << " " << outcome << " is not among " << ledger().dump();
  return found;
}

std::string ServerFixture::own_state() const {
  const auto nodes = state() + "/nodes";
  if (!std::filesystem::exists(nodes)) return state();
  return std::filesystem::directory_iterator(nodes)->path();
}

nlohmann::json ServerFixture::backups(std::size_t count) {
  nlohmann::json found;
  EXPECT_TRUE(eventually([&] {
    found = vantro_json({"backup", "revisions"})["backups"];
    return found.size() == count;
  })) << found.dump();
  return found;
}

std::string ServerFixture::age_and_damage(const std::string& name) {
  const auto info = vantro_json({"image", "info", name});
  const auto sha256 = info["image"]["digests"]["sha256"].get<std::string>();
  stop();
  const auto stored = state() + "/vault/" + sha256.substr(0, 2) + "/" + sha256;
  EXPECT_EQ(::chmod(stored.c_str(), 0600), 0) << name;
  auto bytes = fakes::read_file(stored);
  bytes[bytes.size() / 2] ^= 1;
  fakes::write_file(stored, bytes);
  change_database("update images set read_at = read_at - 50 * cast(86400000 as bigint)");
  fakes::write_file(scratch_ / "vantro.toml", "[verify]\nevery_days = 0\n");
  start({"--config", scratch_ / "vantro.toml"});
  return stored;
}

void ServerFixture::change_database(const std::string& sql) {
  const auto& where = database_.where();
  const auto done = where.empty()
                        ? run({"/usr/bin/python3", "-c",
                               "import sqlite3, sys\nd = sqlite3.connect(sys.argv[1])\n"
                               "d.execute(sys.argv[2])\nd.commit()\n",
                               state() + "/vantro.db", sql})
                        : run({"/usr/bin/psql", where, "-qc", sql});
  EXPECT_EQ(done.code, 0) << done.err;
}

std::string ServerFixture::said_behind(const std::string& words) const {
  const auto out = server_out();
  const auto at = out.find(words);
  EXPECT_NE(at, std::string::npos) << out;
  if (at == std::string::npos) return {};
  const auto begin = at + words.size();
  auto text = out.substr(begin, out.find('\n', begin) - begin);
  if (text.ends_with('.')) text.pop_back();
  return text;
}

int ServerFixture::number_behind(const std::string& words) const {
  const auto text = server_out();
  const auto at = text.find(words);
  EXPECT_NE(at, std::string::npos) << text;
  return at == std::string::npos ? 0 : std::atoi(text.c_str() + at + words.size());
}

}  // namespace vantro::end_to_end
