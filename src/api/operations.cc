#include "api/operations.h"

#include <array>

namespace vantro::api {

const char* word(Permission permission) {
  switch (permission) {
    case Permission::kAnyone:
      return "anyone";
    case Permission::kLook:
      return "look";
    case Permission::kOperate:
      return "operate";
    case Permission::kAdminister:
      return "administer";
  }
  return "";
}

// In the order of the documentation.
std::span<const OperationInfo* const> operations() {
  static constexpr auto kAll = std::to_array<const OperationInfo*>({
      &kHealth,
      &kStatus,
      &kTransfers,
      &kEvents,
      &kChanges,
      &kContacts,
      &kContact,
      &kLedger,
      &kLedgerExport,
      &kLedgerVerify,
      &kAccounts,
      &kAddAccount,
      &kChangeAccount,
      &kRemoveAccount,
      &kAccountKeys,
      &kAddAccountKey,
      &kRemoveAccountKey,
      &kPeople,
      &kAddPerson,
      &kChangePerson,
      &kRemovePerson,
      &kTokens,
      &kAddToken,
      &kRenewToken,
      &kRevokeToken,
      &kLogIn,
      &kLogOut,
      &kMe,
      &kSetPassword,
      &kLocations,
      &kBackups,
      &kBackupOverview,
      &kBackupOverdue,
      &kBackupReport,
      &kCompareBackups,
      &kCompareBackupWith,
      &kThinOutBackups,
      &kBackupOffers,
      &kEndBackupOffer,
      &kBackup,
      &kBackupContent,
      &kBackupText,
      &kPinBackup,
      &kOfferBackup,
      &kAdoptBackup,
      &kDevices,
      &kAddDevice,
      &kImportDevices,
      &kDevice,
      &kChangeDevice,
      &kRemoveDevice,
      &kClaimAddress,
      &kReadReport,
      &kFindRoute,
      &kDeviceRoute,
      &kRouteRules,
      &kImportRules,
      &kRemoveRules,
      &kReadiness,
      &kJobs,
      &kPlanJob,
      &kJob,
      &kWithdrawJob,
      &kMarkJob,
      &kTakeJob,
      &kAcknowledgeJob,
      &kJobSheet,
      &kRollouts,
      &kPlanRollout,
      &kRollout,
      &kRolloutTable,
      &kRolloutReadiness,
      &kContinueRollout,
      &kWithdrawRollout,
      &kCanaryWays,
      &kSites,
      &kChangeSite,
      &kImages,
      &kImage,
      &kAddImage,
      &kEditImage,
      &kImageContent,
      &kWithdrawImage,
      &kReturnImage,
      &kRemoveImage,
      &kExtractMember,
      &kVouchImage,
      &kRetractVouches,
      &kAttachDocument,
      &kDocument,
      &kDetachDocument,
      &kRecogniseAll,
      &kSuggestions,
      &kContent,
      &kCompareImages,
      &kOffers,
      &kAddOffer,
      &kOfferHistory,
      &kChangeOffer,
      &kEndOffer,
      &kChecksums,
      &kKits,
      &kKit,
      &kAddKit,
      &kChangeKit,
      &kRemoveKit,
      &kVerification,
      &kVerify,
      &kUnrecorded,
      &kKeepUnrecorded,
      &kRemoveUnrecorded,
      &kRoutes,
      &kOpenApi,
  });
  return kAll;
}

}  // namespace vantro::api
