# Sourced by demo and test: the time of each stage, printed at the end.
stage_names=() stage_seconds=()
stage() {  # stage NAME COMMAND...: runs it; its status is the command's
  local name=$1 start=$SECONDS status=0
  shift
  "$@" || status=$?
  stage_names+=("$name")
  stage_seconds+=($((SECONDS - start)))
  return "$status"
}
print_stages() {
  local i total=0
  echo "Time by stage"
  for i in "${!stage_names[@]}"; do
    printf '  %-28s %4d s\n' "${stage_names[i]}" "${stage_seconds[i]}"
    total=$((total + stage_seconds[i]))
  done
  printf '  %-28s %4d s\n' "all" "$total"
}
