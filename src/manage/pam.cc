#include "manage/pam.h"

#include <cstdlib>
#include <cstring>
#include <fmt/format.h>
#include <security/pam_appl.h>

namespace vantro::manage {
namespace {

using base::Kind;

// Modules ask questions; the one with hidden input is for the password.
int answer(int count, const pam_message** messages, pam_response** responses,
           void* password) {
  if (count <= 0 || count > PAM_MAX_NUM_MSG) return PAM_CONV_ERR;
  // The modules free it.
  auto* made = static_cast<pam_response*>(
      std::calloc(static_cast<std::size_t>(count), sizeof(pam_response)));
  if (made == nullptr) return PAM_BUF_ERR;
  for (int i = 0; i < count; ++i) {
    if (messages[i]->msg_style != PAM_PROMPT_ECHO_OFF) continue;
    made[i].resp = ::strdup(static_cast<const std::string*>(password)->c_str());
  }
  *responses = made;
  return PAM_SUCCESS;
}

class Session {
 public:
  Session(const std::string& service, const std::string& name,
          const std::string& password)
      : talk_{answer, const_cast<std::string*>(&password)} {
    const auto slash = service.rfind('/');
    last_ = slash == std::string::npos
                ? ::pam_start(service.c_str(), name.c_str(), &talk_, &handle_)
                : ::pam_start_confdir(service.substr(slash + 1).c_str(), name.c_str(),
                                      &talk_, service.substr(0, slash).c_str(), &handle_);
  }
  ~Session() {
    if (handle_ != nullptr) ::pam_end(handle_, last_);
  }
  Session(const Session&) = delete;
  Session& operator=(const Session&) = delete;

  bool is_open() const { return handle_ != nullptr && last_ == PAM_SUCCESS; }
  template <class Call>
  int call(Call what) {
    return last_ = what(handle_);
  }
  std::string why() const { return ::pam_strerror(handle_, last_); }

 private:
  pam_conv talk_;
  pam_handle_t* handle_ = nullptr;
  int last_ = PAM_SUCCESS;
};

}  // namespace

base::Outcome<void> pam_check(const std::string& service, const std::string& name,
                              const std::string& password, const std::string& from) {
  const auto unusable = [&](const std::string& why) {
    return base::refuse(Kind::kIo,
                        fmt::format("the PAM service '{}' can't be used: {}; see the "
                                    "setting management.pam_service",
                                    service, why));
  };
  Session session(service, name, password);
  if (!session.is_open()) return unusable("it can't be opened");
  session.call([&](auto* pam) { return ::pam_set_item(pam, PAM_RHOST, from.c_str()); });
  switch (session.call(
      [](auto* pam) { return ::pam_authenticate(pam, PAM_DISALLOW_NULL_AUTHTOK); })) {
    case PAM_SUCCESS:
      break;
    case PAM_AUTH_ERR:
    case PAM_USER_UNKNOWN:
    case PAM_CRED_INSUFFICIENT:
    case PAM_MAXTRIES:
    case PAM_PERM_DENIED:
      return base::refuse(Kind::kAccountNeeded, "the name or its password is wrong");
    default:
      return unusable(session.why());
  }
  // Modules without accounts say PAM_IGNORE or succeed.
  const int account = session.call([](auto* pam) { return ::pam_acct_mgmt(pam, 0); });
  if (account == PAM_SUCCESS || account == PAM_IGNORE) return {};
  return base::refuse(Kind::kDenied,
                      fmt::format("the password is right, but '{}' may not log in: {}",
                                  name, session.why()));
}

}  // namespace vantro::manage
