-- An engineer at an editor: opens the plan, reads what is marked, types, takes what is offered, renames a group, and takes a fix. Each word of
-- what is seen goes to the standard output, for the test to read.
vim.opt.swapfile = false
vim.cmd('edit wendrik.yaml')
local client = vim.lsp.start_client({ cmd = { vim.env.WENDRIK_PROGRAM, 'language-server' }, root_dir = vim.fn.getcwd(), name = 'wendrik' })
vim.lsp.buf_attach_client(0, client)

local function say(what, value) io.stdout:write(what .. '\t' .. tostring(value) .. '\n') end
local function marked(code)
  for _, d in ipairs(vim.diagnostic.get(0)) do
    if d.code == code then return d end
  end
end
local function wait(what, is)
  if not vim.wait(15000, is, 20) then
    say('never', what)
    vim.cmd('cquit 1')
  end
end
local function stand(pattern, more)
  vim.api.nvim_win_set_cursor(0, { 1, 0 })
  local line = vim.fn.search(pattern)
  vim.api.nvim_win_set_cursor(0, { line, vim.fn.col('.') - 1 + more })
end
local function ask(method, params)
  for _, r in pairs(vim.lsp.buf_request_sync(0, method, params, 15000) or {}) do
    if r.error then say('error', vim.inspect(r.error)) end
    return r.result
  end
end

wait('marks', function() return marked('left-on-main-table') ~= nil and marked('expectation') ~= nil end)
local d = marked('left-on-main-table')
say('marked', d.lnum .. ' ' .. d.message:match('^[^\n]*'))

-- Types a rule, and is offered the groups.
stand('- tcp/22 from 10.148.16.0/20', 0)
local row = vim.api.nvim_win_get_cursor(0)[1]
vim.api.nvim_buf_set_lines(0, row, row, false, { '          - tcp/8443 from group ' })
vim.api.nvim_win_set_cursor(0, { row + 1, #'          - tcp/8443 from group ' - 1 })
local p = vim.lsp.util.make_position_params()
p.position.character = p.position.character + 1
local offered = ask('textDocument/completion', p)
local words = {}
for _, item in ipairs(offered.items) do table.insert(words, item.label) end
say('offered', table.concat(words, ' '))
vim.lsp.util.apply_text_edits({ offered.items[1].textEdit }, 0, 'utf-16')
say('typed', vim.api.nvim_buf_get_lines(0, row, row + 1, false)[1])


-- Renames a group.
stand('shop:', 1)
vim.lsp.buf.rename('till')
wait('the rename', function() return table.concat(vim.api.nvim_buf_get_lines(0, 0, -1, false), '\n'):find('tcp/8080 from group till', 1, true) ~= nil end)
say('renamed', vim.fn.search('^      till:', 'nw'))

-- Takes the fix of what is marked.
wait('marks anew', function() return marked('left-on-main-table') ~= nil end)
d = marked('left-on-main-table')
local at = { line = d.lnum, character = d.col }
local actions = ask('textDocument/codeAction', { textDocument = { uri = vim.uri_from_bufnr(0) }, range = { start = at, ['end'] = at }, context = { diagnostics = {} } })
say('fix', actions[1].title)
vim.lsp.util.apply_workspace_edit(actions[1].edit, 'utf-16')
wait('the mark to go', function() return marked('left-on-main-table') == nil and marked('outgrown') ~= nil end)
say('holds', marked('expectation') == nil)
vim.cmd('write')
vim.lsp.stop_client(client)
vim.cmd('quitall!')
