// The helper program that opens CAD files.
#include "scenes.hpp"
#include "spoilt.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <cstdlib>
#include <thread>

using namespace test;

namespace {

// An environment variable for as long as it lives.
class Setting {
public:
    Setting(const char* name, const std::string& value) : name_(name) { ::setenv(name, value.c_str(), 1); }
    ~Setting() { ::unsetenv(name_); }
    Setting(const Setting&) = delete;
    Setting& operator=(const Setting&) = delete;

private:
    const char* name_;
};

}  // namespace

TEST(ReaderProgram, IsNamedWhereItCannotBeStarted) {
    const Folder folder;
    make::write_iges((folder / "a.igs").string(), three_plates(0), true);  // STEP needs no helper
    const Setting nowhere("HALVO_READER", (folder / "nothing").string());
    try {
        (void)read(folder / "a.igs");
        FAIL();
    } catch (const Error& e) {
        EXPECT_EQ(e.kind(), ErrorKind::stage);
        EXPECT_NE(std::string(e.what()).find("HALVO_READER"), std::string::npos) << e.what();
        EXPECT_EQ(std::string(e.what()).find('\n'), std::string::npos);
    }
    const Ran ran = halvo_command("survey '" + (folder / "a.igs").string() + "'");
    EXPECT_NE(ran.code, 0);
    EXPECT_NE(ran.err.find("HALVO_READER"), std::string::npos) << ran.err;
}

TEST(ReaderProgram, ThatIsAnotherProgramIsALineAndNoHang) {
    const Folder folder;
    make::write_iges((folder / "a.igs").string(), three_plates(0), true);  // STEP needs no helper
    for (const char* other : {"/bin/true", "/bin/false"}) {
        const Setting wrong("HALVO_READER", other);
        EXPECT_THROW((void)read(folder / "a.igs"), Error) << other;
    }
}

TEST(ReaderProgram, IsStartedFromAProgramWithThreads) {
    const Folder folder;
    make::write_iges((folder / "a.igs").string(), three_plates(0), true);  // STEP needs no helper
    std::atomic<bool> stop = false;
    std::atomic<long> sum = 0;
    std::vector<std::thread> busy;
    for (int k = 0; k < 4; ++k)
        busy.emplace_back([&] {
            while (!stop) {
                std::vector<std::string> some(100, std::string(200, 'x'));  // the allocator's locks are taken often
                sum += static_cast<long>(some.size());
            }
        });
    std::vector<std::thread> readers;
    std::atomic<int> whole = 0;
    for (int k = 0; k < 3; ++k)
        readers.emplace_back([&] {
            for (int i = 0; i < 3; ++i) whole += read(folder / "a.igs").bodies.size() == 3;
        });
    for (std::thread& t : readers) t.join();
    stop = true;
    for (std::thread& t : busy) t.join();
    EXPECT_EQ(whole, 9);
}
