/**
 * Counts one request against all that limits it, in one step of the store: all limits that enforce count it, or none does. The
 * arithmetic is that of `measures.ts` in core. Time is the store's own, so that nodes whose clocks differ count alike; a test
 * may give another.
 *
 * KEYS one for each demand. ARGV: now (-1 for the store's clock), 1 to count and 0 to look, the id of what is held, how long it
 * is held without being renewed, then for each demand: kind, requests, span or end, burst or beginning, 1 where it enforces.
 * Answer: now, 1 where it was refused, and for each demand as texts: at, used, before, and 1 where it was counted.
 */
export const TAKE_SCRIPT = `
local now = tonumber(ARGV[1])
if now < 0 then
  local t = redis.call('TIME')
  now = t[1] * 1000 + math.floor(t[2] / 1000)
end
local take, hold, lease = ARGV[2] == '1', ARGV[3], tonumber(ARGV[4])
local state, refused = {}, 0
for i = 1, #KEYS do
  local a = 4 + (i - 1) * 5
  local kind, requests, span, burst, enforced = ARGV[a + 1], tonumber(ARGV[a + 2]), tonumber(ARGV[a + 3]), tonumber(ARGV[a + 4]), ARGV[a + 5] == '1'
  local at, used, before, room = 0, 0, 0, 0
  if kind == 'at-once' then
    redis.call('ZREMRANGEBYSCORE', KEYS[i], '-inf', now)
    used = redis.call('ZCARD', KEYS[i])
    room = requests - used
  else
    local kept = redis.call('HMGET', KEYS[i], 'at', 'used', 'before')
    at, used, before = tonumber(kept[1] or '0'), tonumber(kept[2] or '0'), tonumber(kept[3] or '0')
    if kind == 'fixed' then
      local from = math.floor(now / span) * span
      if from > at or at - from > span then at, used, before = from, 0, 0 end
      room = requests - used
    elseif kind == 'sliding' then
      local from = math.floor(now / span) * span
      if not (from == at or (at > from and at - from <= span)) then
        if from - at == span then before = used else before = 0 end
        at, used = from, 0
      end
      local into = math.min(span, math.max(0, now - at))
      room = requests - used - before * (1 - into / span)
    elseif kind == 'bucket' then
      local passed = now - at
      if passed >= 0 then
        used = math.max(0, used - passed * requests / span)
        at = now
      elseif -passed > span then at, used, before = now, 0, 0 end
      room = burst - used
    else
      if at ~= burst then at, used, before = burst, 0, 0 end
      room = requests - used
    end
  end
  local over = room < 1 - 1e-9
  if over and enforced then refused = 1 end
  state[i] = { kind, at, used, before, over, span, requests }
end
local answer = { tostring(now), tostring(refused) }
for i = 1, #KEYS do
  local kind, at, used, before, over, span, requests = unpack(state[i])
  local counted = '0'
  if take and refused == 0 and not over then
    counted = '1'
    used = used + 1
    if kind == 'at-once' then
      redis.call('ZADD', KEYS[i], now + lease, hold)
      redis.call('PEXPIRE', KEYS[i], lease + 1000)
    else
      redis.call('HSET', KEYS[i], 'at', string.format('%.17g', at), 'used', string.format('%.17g', used), 'before', string.format('%.17g', before))
      local life = span * 2
      if kind == 'calendar' then life = span - now end
      if kind == 'bucket' then life = span * used / requests end
      redis.call('PEXPIRE', KEYS[i], math.max(1000, math.ceil(life) + 1000))
    end
  end
  for _, value in ipairs({ string.format('%.17g', at), string.format('%.17g', used), string.format('%.17g', before), counted }) do
    answer[#answer + 1] = value
  end
end
return answer
`;
