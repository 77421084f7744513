// A device over HTTP: its requests, as the gate answers them.
#pragma once

#include <memory>
#include <string>

#include "gate/gate.h"
#include "net/http/connection.h"
#include "serve/shared.h"
#include "wire/http/fields.h"
#include "wire/http/target.h"

namespace vantro::serve::http {

class Visitor final : public net::http::Handler {
 public:
  // `connection` owns it.
  Visitor(net::http::Connection& connection, std::shared_ptr<Shared> shared,
          gate::Asker asker)
      : connection_(connection), shared_(std::move(shared)), asker_(std::move(asker)) {}

  void request(const net::http::Head& head) override;
  net::http::Answer problem(int status, const std::string& why) override;
  void stray(const std::string& why) override;

 private:
  void log_in(const wire::http::Credentials& credentials);
  void dispatch();
  void fetch();
  void begin_upload();
  void answer_and_close(net::http::Answer answer);

  net::http::Connection& connection_;
  std::shared_ptr<Shared> shared_;
  const gate::Asker asker_;  // without the account
  // Of the request.
  net::http::Head head_;
  wire::http::Target target_;
  wire::http::Form form_ = wire::http::Form::kText;
  gate::Asker who_;  // with the account
};

}  // namespace vantro::serve::http
