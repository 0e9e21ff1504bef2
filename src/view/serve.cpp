// The page from a server on this machine: it runs what is chosen, all or nothing, and can go back.
#include "view/pack.hpp"

#include <halvo/job.hpp>
#include <halvo/report.hpp>

#include <fmt/format.h>
#include <httplib.h>

#include <array>
#include <atomic>
#include <chrono>
#include <deque>
#include <mutex>
#include <random>
#include <thread>

namespace halvo {
namespace {

using view::Json;

constexpr std::size_t most_past_states = 3;            // kept in memory to go back to
constexpr std::size_t most_request_bytes = 1U << 20U;  // a request is a list of ids; nothing sensible is longer
constexpr std::chrono::milliseconds stop_look{50};     // how often it is asked whether it should stop

std::string new_token() {
    std::random_device chance;
    std::string out;
    for (int i = 0; i < 4; ++i) out += fmt::format("{:08x}", chance());
    return out;
}

// Takes as long whatever is wrong in it.
bool same(const std::string& a, const std::string& b) {
    unsigned differs = a.size() == b.size() ? 0 : 1;
    for (std::size_t i = 0; i < b.size(); ++i) differs |= static_cast<unsigned char>(i < a.size() ? a[i] : '\0') ^ static_cast<unsigned char>(b[i]);
    return differs == 0;
}

class ReportServer {
public:
    ReportServer(std::filesystem::path model, const ServeOptions& options)
        : model_(std::move(model)), options_(options), job_(std::make_shared<const Job>(read_model(model_))), token_(new_token()) {}

    void run() {
        server_.set_payload_max_length(most_request_bytes);
        server_.set_default_headers({{"Cache-Control", "no-store"}, {"X-Content-Type-Options", "nosniff"}, {"Referrer-Policy", "no-referrer"}});
        server_.set_pre_routing_handler([this](const httplib::Request& q, httplib::Response& a) { return admit(q, a); });
        server_.set_exception_handler([](const httplib::Request&, httplib::Response& a, const std::exception_ptr&) {
            a.status = 500, a.set_content("the server failed on this request; nothing has changed\n", "text/plain");
        });
        server_.Get(
            "/", [this](const httplib::Request&, httplib::Response& a) { a.set_content(report_page(*state(), page_options()), "text/html; charset=utf-8"); });
        server_.Get("/content", [this](const httplib::Request&, httplib::Response& a) {
            a.set_content(report_content(*state(), page_options()), "application/octet-stream");
        });
        server_.Get("/state", [this](const httplib::Request&, httplib::Response& a) { tell_state(a); });
        server_.Post("/run", [this](const httplib::Request& q, httplib::Response& a) { ask_run(q, a); });
        server_.Post("/back", [this](const httplib::Request&, httplib::Response& a) { ask_back(a); });
        const bool bound = options_.port > 0 ? server_.bind_to_port("127.0.0.1", options_.port) : (port_ = server_.bind_to_any_port("127.0.0.1")) > 0;
        if (options_.port > 0) port_ = options_.port;
        if (!bound) throw Error(ErrorKind::input, fmt::format("port {} of this machine cannot be had; give another --port, or none", options_.port));
        std::thread answering([this] { server_.listen_after_bind(); });
        if (options_.up) options_.up(fmt::format("http://127.0.0.1:{}/?token={}", port_, token_));
        while (!options_.stop || !options_.stop()) std::this_thread::sleep_for(stop_look);
        stopping_ = true;
        server_.stop();
        answering.join();
        if (worker_.joinable()) worker_.join();
    }

private:
    using Handled = httplib::Server::HandlerResponse;

    // Only this machine by this address, and only who knows the token.
    Handled admit(const httplib::Request& q, httplib::Response& a) {
        const std::string host = q.get_header_value("Host");
        const bool local = host == fmt::format("127.0.0.1:{}", port_) || host == fmt::format("localhost:{}", port_);
        const std::string given = q.has_header("X-Halvo-Token") ? q.get_header_value("X-Halvo-Token") : q.path == "/" ? q.get_param_value("token") : "";
        if (local && same(given, token_)) return Handled::Unhandled;
        a.status = 403;
        a.set_content("the address is not complete: take the one that halvo report --serve printed\n", "text/plain");
        return Handled::Handled;
    }

    std::shared_ptr<const Job> state() {
        const std::lock_guard lock(mutex_);
        return job_;
    }
    ReportOptions page_options() {
        const std::lock_guard lock(mutex_);
        ReportOptions o;
        o.title = options_.title, o.model = model_, o.token = token_, o.back = past_.size(), o.figures = false;
        return o;
    }
    void tell_state(httplib::Response& a) {
        const std::lock_guard lock(mutex_);
        a.set_content(Json{{"busy", busy_}, {"stage", stage_}, {"share", share_}, {"failure", failure_}, {"back", past_.size()}}.dump(), "application/json");
    }
    static void refuse(httplib::Response& a, int status, const std::string& why) {
        a.status = status;
        a.set_content(why + "\n", "text/plain; charset=utf-8");
    }

    void ask_run(const httplib::Request& q, httplib::Response& a) {
        const Json asked = Json::parse(q.body, nullptr, false);
        if (!asked.is_object() || !asked.contains("set") || !asked["set"].is_array()) return refuse(a, 400, "the request is no list of plan lines");
        const std::shared_ptr<const Job> before = state();
        Plan plan = before->plan;
        Stage from = Stage::solve;
        try {
            for (const Json& line : asked["set"]) {
                if (!line.is_string()) return refuse(a, 400, "a plan line is a text, KEY=VALUE");
                const auto text = line.get<std::string>();
                set_plan_value(plan, text);
                from = std::min(from, stage_of_key(text.substr(0, text.find('='))));
            }
        } catch (const Error& e) {
            return refuse(a, 400, e.what());
        }
        if (from < Stage::solve && stage_of(before->stage) < from) from = static_cast<Stage>(static_cast<int>(stage_of(before->stage)) + 1);
        begin(a, [this, before, plan, from] {
            const Observer observer = watcher();
            std::string note;
            Job job = from == Stage::read ? Job{} : resumed(*before, plan, from, observer, note);
            job.plan = plan;
            halvo::run(job, from, std::max(from, stage_of(before->stage)), observer);
            return std::make_shared<const Job>(std::move(job));
        });
    }
    void ask_back(httplib::Response& a) {
        {
            const std::lock_guard lock(mutex_);
            if (past_.empty()) return refuse(a, 409, "there is no earlier state");
        }
        begin(a, nullptr);
    }

    // In a thread of its own; the state changes only once all files are written. Without work: back to the last state.
    void begin(httplib::Response& a, std::function<std::shared_ptr<const Job>()> work) {
        const std::lock_guard lock(mutex_);
        if (busy_) return refuse(a, 409, "another window is running something; wait for it");
        if (worker_.joinable()) worker_.join();
        busy_ = true, failure_.clear(), stage_ = "read", share_ = 0;
        worker_ = std::thread([this, work = std::move(work)] {
            std::string failure;
            try {
                std::shared_ptr<const Job> next = work ? work() : earlier();
                write(*next);
                const std::lock_guard swap(mutex_);
                if (work) past_.push_back(job_);
                else past_.pop_back();
                if (past_.size() > most_past_states) past_.pop_front();
                job_ = std::move(next);
            } catch (const std::bad_alloc&) {
                failure = "memory ran out";
            } catch (const std::exception& e) {
                failure = e.what();
            }
            const std::lock_guard done(mutex_);
            busy_ = false, failure_ = failure;
        });
        a.status = 202;
        a.set_content("running\n", "text/plain");
    }
    std::shared_ptr<const Job> earlier() {
        const std::lock_guard lock(mutex_);
        return past_.back();
    }
    void write(const Job& job) const {
        if (model_.filename() == "model.halvo") write_results(model_.has_parent_path() ? model_.parent_path() : ".", job);
        else write_model(model_, job);
    }
    Observer watcher() {
        Observer o;
        o.cancelled = [this] { return stopping_.load(); };
        o.report = [this](const char* stage, double share) {
            const std::lock_guard lock(mutex_);
            stage_ = stage, share_ = share;
        };
        return o;
    }

    std::filesystem::path model_;
    ServeOptions options_;
    std::mutex mutex_;  // of all that follows but for the server
    std::shared_ptr<const Job> job_;
    std::deque<std::shared_ptr<const Job>> past_;
    bool busy_ = false;
    std::string stage_, failure_;
    double share_ = 0;
    std::string token_;
    int port_ = 0;
    std::atomic<bool> stopping_ = false;
    std::thread worker_;
    httplib::Server server_;
};

}  // namespace

void serve_report(const std::filesystem::path& model, const ServeOptions& options) {
    ReportServer(model, options).run();
}

}  // namespace halvo
