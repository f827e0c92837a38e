#include "play/background.hpp"

#include <algorithm>
#include <atomic>
#include <mutex>
#include <optional>
#include <utility>

#include "base/fail.hpp"
#include "play/asking.hpp"

namespace tidewater {

struct BankLoading::State {
  std::atomic<std::size_t> read{0}, all{1};  ///< bytes
  std::atomic<bool> done{false};
  std::mutex mutex;
  std::string problem;

  void end(const std::string& why) {
    {
      const std::lock_guard lock(mutex);
      problem = why;
    }
    done = true;
  }
};

double BankLoading::progress() const {
  if (state_ == nullptr) return 1;
  if (state_->done && problem().empty()) return 1;  // also where nothing was to be read
  return static_cast<double>(state_->read) / static_cast<double>(std::max<std::size_t>(state_->all, 1));
}

bool BankLoading::done() const { return state_ == nullptr || state_->done; }

std::string BankLoading::problem() const {
  if (state_ == nullptr) return {};
  const std::lock_guard lock(state_->mutex);
  return state_->problem;
}

std::string load_read(Control& control, const Bank& bank, Preload preload, LiveClips clips, LoadHow how) {
  const BankData& data = data_of(bank);
  const std::lock_guard one_at_a_time(control.library.loaded.loading());
  const bool replaces = how == LoadHow::in_place && control.library.loaded.bank_called(data.name) != nullptr;
  if (std::string problem = control.make_ready_for(data, clips, replaces); !problem.empty()) return problem;
  Loading loading = replaces ? control.library.loaded.prepare_to_replace(BankInside::of(bank), std::move(clips), control.options.seed)
                             : control.library.loaded.prepare_to_load(BankInside::of(bank), std::move(clips), control.options.seed);
  control.number_names(loading);
  control.driving.follow(loading.prepared.front());
  const Asking asking(control);
  const Preload decided = control.library.preload_of(data, preload);
  if (replaces)
    control.settle_and_ask(asked::Reload{bank.name(), bank.content(), decided, bank.language()}, {.loading = &loading});
  else
    control.settle_and_ask(asked::Load{bank.name(), bank.content(), decided, bank.language()}, {.loading = &loading});
  return {};
}

std::string load_now(Control& control, const Bank& given, Preload preload, LoadHow how) {
  // What takes long is done, and undone, while others may ask.
  const Read<Bank> bank = control.with_its_bases(given);
  if (!bank.value) return bank.problem;
  Read<LiveClips> clips = control.library.read_clips(data_of(*bank.value), preload);
  return clips.value ? load_read(control, *bank.value, preload, *std::move(clips.value), how) : clips.problem;
}

/// Between a handle and who made it.
struct BackgroundLoad {
  static BankLoading handle(std::shared_ptr<BankLoading::State> state) { return BankLoading(std::move(state)); }
  static std::shared_ptr<BankLoading::State> state() { return std::make_shared<BankLoading::State>(); }
  using State = BankLoading::State;
};

namespace {

class LoadTask : public ReaderTask {
 public:
  LoadTask(Control& control, Bank bank, Preload preload, LoadHow how, std::shared_ptr<BackgroundLoad::State> state)
      : control_(control), bank_(std::move(bank)), preload_(preload), how_(how), state_(std::move(state)) {
    if (data_of(bank_).bases.empty()) begin(bank_);  // else these may still be on their way
  }
  ~LoadTask() override {
    if (!state_->done) state_->end("the manager ended before the bank was loaded");
  }
  LoadTask(const LoadTask&) = delete;
  LoadTask& operator=(const LoadTask&) = delete;

  bool step() override {
    bool more = false;
    const std::string problem = problem_of([&] { return go_on(more); });
    if (more) return true;
    state_->end(problem);
    const std::lock_guard lock(control_.mutex);
    std::erase_if(control_.library.loads.under_way, [](const BackgroundLoads::UnderWay& its) { return its.loading.done(); });
    control_.library.loads.fresh.push_back({std::string(bank_.name()), problem});
    return false;
  }

 private:
  void begin(const Bank& bank) {
    bank_ = bank;
    const BankData& data = data_of(bank_);
    reading_.emplace(data, preload_, control_.library.preload_of(data, preload_));
    state_->all = reading_->bytes();
  }

  /// A step of it: empty, or what went wrong.
  std::string go_on(bool& more) {
    if (!reading_) {
      const Read<Bank> bank = control_.with_its_bases(bank_);
      if (!bank.value) return bank.problem;
      begin(*bank.value);
    }
    more = reading_->read_one();
    if (!reading_->problem().empty()) return reading_->problem();
    state_->read = reading_->bytes_read();
    if (more) return {};
    std::string problem = load_read(control_, bank_, preload_, reading_->take(), how_);
    if (problem.empty()) state_->read = state_->all.load();
    return problem;
  }

  Control& control_;
  Bank bank_;
  Preload preload_;
  LoadHow how_;
  std::shared_ptr<BackgroundLoad::State> state_;
  std::optional<ClipsOnTheirWay> reading_;
};

}  // namespace

BankLoading begin_to_load(Control& control, const Bank& bank, Preload preload, LoadHow how) {
  auto state = BackgroundLoad::state();
  auto task = std::make_unique<LoadTask>(control, bank, preload, how, state);
  if (!control.options.offline) {
    BackgroundLoads::UnderWay under_way{std::string(bank.name()), {}, BackgroundLoad::handle(state)};
    for (const BankEvent& event : data_of(bank).events) under_way.events.push_back(Name(event.name).hash());
    std::sort(under_way.events.begin(), under_way.events.end());
    const std::lock_guard lock(control.mutex);
    control.library.loads.under_way.push_back(std::move(under_way));
  }
  if (control.options.offline) {
    while (task->step()) {
    }
  } else {
    control.library.reader.add(std::move(task));
    control.library.start_reading();
  }
  return BackgroundLoad::handle(std::move(state));
}

}  // namespace tidewater
