import { Box } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { usePresence } from "../api/away";

/** Away says that the program does not answer, what that means for what was typed, and that it is back. */
export function Away() {
  const presence = usePresence();
  const client = useQueryClient();
  useEffect(() => {
    if (presence === "back") client.invalidateQueries();
  }, [presence, client]);
  if (presence === "here") return <Box gridColumn="1 / -1" />;
  const away = presence === "away";
  return (
    <Box
      role={away ? "alert" : "status"}
      className="no-print"
      gridColumn="1 / -1"
      bg={away ? "madder.soft" : "moss.soft"}
      color="ink"
      px="16px"
      py="7px"
      data-presence={presence}
    >
      {away
        ? "The program does not answer: is it still running? Nothing is saved until it is back; what you type is kept here."
        : "The program is back."}
    </Box>
  );
}
